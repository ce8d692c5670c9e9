import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { existsSync } from 'node:fs'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { createSocket } from 'node:dgram'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

/** Whether Debian's name server is here. */
export const hasNamed = existsSync('/usr/sbin/named')

/** Free for UDP and for TCP. */
const freePort = async (): Promise<number> => {
  const udp = createSocket('udp4').bind(0, '127.0.0.1')
  await once(udp, 'listening')
  const { port } = udp.address()
  const tcp = createServer().listen(port, '127.0.0.1')
  const isFree = await once(tcp, 'listening').then(
    () => true,
    () => false,
  )
  udp.close()
  tcp.close()
  return isFree ? port : freePort()
}

/** Debian's name server (BIND 9.18) with one zone, on a port of its own. */
export class Named {
  readonly address: string
  readonly #folder: string
  readonly #child: ChildProcess

  private constructor(address: string, folder: string, child: ChildProcess) {
    this.address = address
    this.#folder = folder
    this.#child = child
  }

  /** @param text the zone as a file */
  static async start(zone: string, text: string): Promise<Named> {
    const folder = await mkdtemp(join(tmpdir(), 'zest-named-'))
    const port = await freePort()
    await writeFile(join(folder, 'zone'), text)
    await writeFile(
      join(folder, 'named.conf'),
      `options { directory "${folder}"; pid-file none; session-keyfile "${folder}/session.key"; listen-on port ${port} { 127.0.0.1; }; listen-on-v6 { none; }; recursion no; dnssec-validation no; };
controls { };
zone "${zone}" { type primary; file "zone"; };
`,
    )
    const child = spawn('/usr/sbin/named', ['-g', '-n', '1', '-c', join(folder, 'named.conf')], {
      stdio: ['ignore', 'ignore', 'pipe'],
    })
    await new Promise<void>((resolve, reject) => {
      let said = ''
      child.stderr.on('data', (piece: Buffer) => {
        said += piece.toString()
        if (said.includes('all zones loaded')) resolve()
      })
      child.once('exit', () => reject(new Error(`The name server ended: ${said.slice(-500)}`)))
    })
    return new Named(`127.0.0.1:${port}`, folder, child)
  }

  async stop(): Promise<void> {
    this.#child.kill('SIGKILL')
    await once(this.#child, 'exit')
    await rm(this.#folder, { recursive: true, force: true })
  }
}
