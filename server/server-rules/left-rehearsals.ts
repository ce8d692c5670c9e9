import { createHash } from 'node:crypto'
import { readdir, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

/** How the folders of this Zest Lamp's rehearsals are named: another one on this machine has others. */
export const rehearsalPrefix = (serversFolder: string): string =>
  `zest-rehearsal-${createHash('sha256').update(resolve(serversFolder)).digest('hex').slice(0, 10)}-`

/** Where a web server writes which process it is. */
export const PID_FILE = 'server.pid'

/** Whether a process is the web server of a rehearsal: its number may have been given to another one since. */
const servesFrom = async (pid: number, folder: string): Promise<boolean> => {
  const line = await readFile(`/proc/${pid}/cmdline`, 'utf8').catch(() => '')
  return line.includes(folder)
}

/** End web servers that a control which was killed in the middle of a rehearsal has left, and remove their copies of the site. */
export const endLeftRehearsals = async (serversFolder: string): Promise<void> => {
  const prefix = rehearsalPrefix(serversFolder)
  for (const name of await readdir(tmpdir())) {
    if (!name.startsWith(prefix)) continue
    const folder = join(tmpdir(), name)
    const pid = Number(await readFile(join(folder, PID_FILE), 'utf8').catch(() => ''))
    // Told to end, it ends those that it has started itself.
    if (Number.isInteger(pid) && pid > 1 && (await servesFrom(pid, folder))) process.kill(pid, 'SIGTERM')
    await rm(folder, { recursive: true, force: true })
  }
}
