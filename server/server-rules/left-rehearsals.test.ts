import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { endLeftRehearsals, PID_FILE, rehearsalPrefix } from './left-rehearsals.ts'

/** A process that stands for a web server, and names its folder as one does. */
const left = (serversFolder: string, names: string) => {
  const folder = mkdtempSync(join(tmpdir(), rehearsalPrefix(serversFolder)))
  const named = names === 'its folder' ? folder : names
  const child = spawn(process.execPath, ['-e', 'setInterval(() => undefined, 1000)', named], { stdio: 'ignore' })
  writeFileSync(join(folder, PID_FILE), `${child.pid}\n`)
  return { folder, child }
}

test('a web server that a killed control has left is ended, and no other process', async () => {
  const [own, reused, others] = [
    left('/data/one/web-servers', 'its folder'),
    // Its number was given to another process since.
    left('/data/one/web-servers', '/somewhere/else'),
    left('/data/two/web-servers', 'its folder'),
  ]
  const ended = once(own.child, 'exit')
  try {
    await endLeftRehearsals('/data/one/web-servers')
    expect((await ended)[1]).toBe('SIGTERM')
    expect([own, reused, others].map(({ folder }) => existsSync(folder))).toEqual([false, false, true])
    expect([reused, others].map(({ child }) => child.exitCode ?? child.signalCode)).toEqual([null, null])
  } finally {
    for (const { child, folder } of [own, reused, others]) {
      child.kill('SIGKILL')
      rmSync(folder, { recursive: true, force: true })
    }
  }
})
