import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { get } from 'node:https'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { generate } from 'selfsigned'
import { freePort } from '../../process/loopback-port.ts'

/** Whether Debian's certificate authority for tests is here. */
export const hasPebble = existsSync('/usr/bin/pebble')

const says = (child: ChildProcess, words: RegExp): Promise<void> =>
  new Promise((resolve, reject) => {
    let text = ''
    const hear = (piece: Buffer): void => {
      text += piece.toString()
      if (words.test(text)) resolve()
    }
    child.stdout?.on('data', hear)
    child.stderr?.on('data', hear)
    child.once('exit', () => reject(new Error(`It ended: ${text.slice(-500)}`)))
  })

/** A certificate authority (Debian's pebble 2.4, a test server of RFC 8555) with a name server that names this machine for every host. */
export class Pebble {
  readonly directory: string
  /** Of the authority's own address, PEM. */
  readonly trusted: string
  readonly dnsPort: number
  readonly #folder: string
  readonly #managementPort: number
  readonly #namesPort: number
  readonly #children: readonly ChildProcess[]

  private constructor(own: {
    directory: string
    trusted: string
    folder: string
    ports: readonly [number, number, number]
    children: readonly ChildProcess[]
  }) {
    this.directory = own.directory
    this.trusted = own.trusted
    this.#folder = own.folder
    ;[this.#managementPort, this.#namesPort, this.dnsPort] = own.ports
    this.#children = own.children
  }

  /** @param httpPort where hosts are asked over HTTP @param external accounts that it knows, by the id of their key; undefined: anybody may have one */
  static async start(httpPort: number, external?: Readonly<Record<string, string>>): Promise<Pebble> {
    const folder = await mkdtemp(join(tmpdir(), 'zest-pebble-'))
    const port = await freePort()
    const ports = [await freePort(), await freePort(), await freePort()] as const
    const [managementPort, namesPort, dnsPort] = ports
    const made = await generate([{ name: 'commonName', value: '127.0.0.1' }], {
      keyType: 'ec',
      extensions: [{ name: 'subjectAltName', altNames: [{ type: 7, ip: '127.0.0.1' }] }],
    })
    await writeFile(join(folder, 'cert.pem'), made.cert)
    await writeFile(join(folder, 'key.pem'), made.private)
    const pebble = {
      listenAddress: `127.0.0.1:${port}`,
      managementListenAddress: `127.0.0.1:${managementPort}`,
      certificate: join(folder, 'cert.pem'),
      privateKey: join(folder, 'key.pem'),
      httpPort,
      tlsPort: 1,
      externalAccountBindingRequired: external !== undefined,
      externalAccountMACKeys: external ?? {},
    }
    await writeFile(join(folder, 'config.json'), JSON.stringify({ pebble }))
    const names = spawn(
      '/usr/bin/pebble-challtestsrv',
      [
        ...['-defaultIPv4', '127.0.0.1', '-defaultIPv6', '', '-dns01', `127.0.0.1:${dnsPort}`],
        ...['-http01', '', '-https01', '', '-tlsalpn01', '', '-management', `127.0.0.1:${namesPort}`],
      ],
      { stdio: ['ignore', 'pipe', 'pipe'] },
    )
    const authority = spawn(
      '/usr/bin/pebble',
      ['-config', join(folder, 'config.json'), '-dnsserver', `127.0.0.1:${dnsPort}`],
      // It proves at once; that it refuses a nonce now and then stays.
      { stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, PEBBLE_VA_NOSLEEP: '1', PEBBLE_AUTHZREUSE: '0' } },
    )
    const children = [names, authority]
    await Promise.all([says(names, /Starting management server|management/i), says(authority, /Listening on/i)])
    const directory = `https://127.0.0.1:${port}/dir`
    return new Pebble({ directory, trusted: made.cert, folder, ports, children })
  }

  /** Who vouches for the certificates that it issues, PEM. */
  root(): Promise<string> {
    return new Promise((resolve, reject) => {
      get(`https://127.0.0.1:${this.#managementPort}/roots/0`, { ca: this.trusted }, (res) => {
        const chunks: Buffer[] = []
        res.on('data', (chunk: Buffer) => chunks.push(chunk))
        res.on('end', () => resolve(Buffer.concat(chunks).toString()))
      }).on('error', reject)
    })
  }

  /** Enter a text record in the name server. */
  async enter(record: { readonly name: string; readonly value: string }): Promise<void> {
    await fetch(`http://127.0.0.1:${this.#namesPort}/set-txt`, {
      method: 'POST',
      body: JSON.stringify({ host: `${record.name}.`, value: record.value }),
    })
  }

  async stop(): Promise<void> {
    for (const child of this.#children) child.kill('SIGKILL')
    await rm(this.#folder, { recursive: true, force: true })
  }
}
