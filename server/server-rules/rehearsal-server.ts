import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync } from 'node:fs'
import { chmod, chown, mkdir, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { request, type IncomingMessage } from 'node:http'
import type { AddressInfo, Server } from 'node:net'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { promisify } from 'node:util'
import { brotliDecompress, gunzip } from 'node:zlib'
import { freePort, isListening } from '../../process/loopback-port.ts'
import rawBody from 'raw-body'
import type { RulesKind } from '../../core/contracts/server-rules.ts'
import type { SiteFile } from './page-copies.ts'
import type { HeardAnswer } from '../../core/server-rules/rehearsed-answers.ts'
import { copiesServer } from './copies-server.ts'
import type { CopiedAddress } from './copy-site.ts'
import { rehearsalPrefix } from './left-rehearsals.ts'
import type { ServerProgram } from './server-programs.ts'
import { apacheConfig, nginxConfig, RULES, serverUser, SITE, type TypesByExtension } from './web-server-configs.ts'

/** The web server of a rehearsal cannot run; the sentence says why. */
export class NoWebServer extends Error {}

const LONGEST_START_MS = 20_000
const LONGEST_ANSWER_MS = 20_000
const MOST_BYTES = 16 * 1024 * 1024
const BETWEEN_TRIES_MS = 25
/** A web server that does not end when it is told to is ended, ms. */
const LONGEST_END_MS = 5000
const MOST_SAID = 16_000

const portOf = (server: Server): number => (server.address() as AddressInfo).port

/** Files with an extension are files on the disk of most sites; all else is made by a content system. */
const fileOf = ({ path, use, answer }: CopiedAddress): string | undefined => {
  const [plain = ''] = path.split('?', 1)
  if (use === 'page' || answer.status !== 200 || !/^(?:\/[\w@~+-][\w@~+.-]*)+\.[0-9A-Za-z]{1,10}$/.test(plain))
    return undefined
  return /\.(?:php|cgi|htaccess)$/i.test(plain) ? undefined : plain
}

const typesOf = (copied: readonly CopiedAddress[]): TypesByExtension =>
  new Map(
    copied.flatMap((one): [string, string][] => {
      const extension = /\.[0-9A-Za-z]+$/.exec(fileOf(one) ?? '')?.[0]
      const [type = ''] = (one.answer.fields.get('content-type') ?? '').split(';', 1)
      return extension === undefined || type === '' ? [] : [[extension, type.trim()]]
    }),
  )

const decodedBody = async (body: Buffer, coding: string | undefined): Promise<Uint8Array | null> => {
  const limit = { maxOutputLength: MOST_BYTES }
  try {
    if (coding === undefined || coding === 'identity') return body
    if (coding === 'gzip') return await promisify(gunzip)(body, limit)
    return coding === 'br' ? await promisify(brotliDecompress)(body, limit) : null
  } catch {
    return null
  }
}

type Answered = Omit<HeardAnswer, 'isKnownAgain'>

const heardFrom = async (incoming: IncomingMessage): Promise<Answered> => {
  const body = await rawBody(incoming, { limit: MOST_BYTES })
  const fields = Object.fromEntries(
    Object.entries(incoming.headersDistinct).map(([name, lines]) => [name, (lines ?? []).join(', ')]),
  )
  const decoded = await decodedBody(body, fields['content-encoding'])
  return { status: incoming.statusCode ?? 0, fields, bytes: body.length, decoded }
}

/** A web server of the kind that the owner has, on a free port of this machine, over a small copy of the site. */
export class RehearsalServer {
  readonly #kind: RulesKind
  readonly #program: ServerProgram
  readonly #folder: string
  readonly #types: TypesByExtension
  readonly #copies: Server
  #child: ChildProcess | undefined
  #port = 0

  private constructor(
    kind: RulesKind,
    program: ServerProgram,
    folder: string,
    types: TypesByExtension,
    copies: Server,
  ) {
    this.#kind = kind
    this.#program = program
    this.#folder = folder
    this.#types = types
    this.#copies = copies
  }

  /** @param more files of the site's folder besides those that were copied */
  static async over(
    kind: RulesKind,
    program: ServerProgram,
    copied: readonly CopiedAddress[],
    serversFolder: string,
    more: readonly SiteFile[] = [],
  ): Promise<RehearsalServer> {
    const folder = await mkdtemp(join(tmpdir(), rehearsalPrefix(serversFolder)))
    await writeFiles(folder, copied)
    for (const { name, content } of more) await writeOpenly(join(folder, SITE), name, content)
    const copies = copiesServer(copied)
    await new Promise<void>((resolve) => copies.listen(0, '127.0.0.1', resolve))
    return new RehearsalServer(kind, program, folder, typesOf(copied), copies)
  }

  /** @returns its name and version, as it says them itself */
  async version(): Promise<string> {
    const { said } = await this.#run(['-v'])
    return /(?:Apache|nginx)\/[\d.]+/.exec(said)?.[0] ?? this.#program.program
  }

  /** What the syntax check says of a rules file; undefined: it takes it. */
  async complaint(rules: string): Promise<string | undefined> {
    await this.#writeRules(rules)
    // Nobody listens there: the check only reads.
    await this.#writeConfig(1, true)
    const { code, said } = await this.#run(['-t', ...this.#args()])
    // Where the copy stands is nothing to the owner.
    return code === 0 ? undefined : said.replaceAll(`${this.#folder}/`, '')
  }

  /** Serve under these rules from now on. @throws NoWebServer when the server does not start */
  async use(rules: string): Promise<void> {
    await this.#writeRules(rules)
    // A rules file is read with every request; a configuration only at the start.
    if (this.#child !== undefined && this.#kind === 'apache') return
    await this.#stop()
    await this.#start()
  }

  /** Ask for an address, and again with what a browser would know of it then. */
  async ask(path: string, fields: Readonly<Record<string, string>>): Promise<HeardAnswer> {
    const answer = await this.#ask(path, fields)
    const { etag } = answer.fields
    const again = etag === undefined ? undefined : await this.#ask(path, { ...fields, 'if-none-match': etag })
    return { ...answer, isKnownAgain: again === undefined ? null : again.status === 304 }
  }

  #ask(path: string, fields: Readonly<Record<string, string>>): Promise<Answered> {
    return new Promise((resolve, reject) => {
      const outgoing = request({ host: '127.0.0.1', port: this.#port, path, headers: { ...fields }, agent: false })
      const fail = (error: Error): void =>
        reject(new NoWebServer(`The web server of the rehearsal did not answer for ${path}: ${error.message}.`))
      const timer = setTimeout(() => outgoing.destroy(new Error('it took too long')), LONGEST_ANSWER_MS)
      outgoing.on('error', fail)
      outgoing.on('close', () => clearTimeout(timer))
      outgoing.on('response', (incoming) => void heardFrom(incoming).then(resolve, fail))
      outgoing.end()
    })
  }

  /** The last lines that the server has written about errors. */
  async errorLog(): Promise<string> {
    const text = await readFile(join(this.#folder, 'error.log'), 'utf8').catch(() => '')
    return text.slice(-4000)
  }

  async end(): Promise<void> {
    await this.#stop()
    await new Promise((resolve) => this.#copies.close(resolve))
    await rm(this.#folder, { recursive: true, force: true })
  }

  async #writeRules(rules: string): Promise<void> {
    await writeOpenly(this.#folder, RULES[this.#kind], rules)
  }

  #writeConfig(port: number, check: boolean): Promise<void> {
    const text =
      this.#kind === 'apache'
        ? apacheConfig(this.#folder, this.#program.modules, port, this.#types, portOf(this.#copies), check)
        : nginxConfig(this.#kind, this.#folder, port, this.#types, portOf(this.#copies))
    return writeFile(join(this.#folder, check ? 'check.conf' : 'server.conf'), text)
  }

  #args(file = 'check.conf'): string[] {
    const config = join(this.#folder, file)
    return this.#kind === 'apache'
      ? ['-f', config]
      : ['-p', this.#folder, '-c', config, '-e', join(this.#folder, 'error.log')]
  }

  /** Nothing of control's secrets is in them. */
  #surroundings(): Record<string, string> {
    const { libraries } = this.#program
    return libraries === '' ? {} : { LD_LIBRARY_PATH: libraries }
  }

  #run(args: readonly string[]): Promise<{ code: number; said: string }> {
    return new Promise((resolve, reject) => {
      const child = spawn(this.#program.program, args, {
        stdio: ['ignore', 'pipe', 'pipe'],
        env: this.#surroundings(),
        timeout: LONGEST_START_MS,
        killSignal: 'SIGKILL',
      })
      let said = ''
      const take = (chunk: Buffer): void => void (said = (said + chunk.toString()).slice(0, MOST_SAID))
      child.stdout.on('data', take)
      child.stderr.on('data', take)
      child.once('error', reject)
      child.once('close', (code) => resolve({ code: code ?? 1, said }))
    })
  }

  async #start(): Promise<void> {
    this.#port = await freePort()
    await this.#writeConfig(this.#port, false)
    const args = [...this.#args('server.conf'), ...(this.#kind === 'apache' ? ['-DFOREGROUND'] : ['-g', 'daemon off;'])]
    const child = spawn(this.#program.program, args, {
      stdio: ['ignore', 'ignore', 'pipe'],
      env: { PATH: '/usr/bin:/bin', ...this.#surroundings() },
    })
    this.#child = child
    let said = ''
    child.stderr.on('data', (chunk: Buffer) => void (said = (said + chunk.toString()).slice(-4000)))
    const deadline = performance.now() + LONGEST_START_MS
    while (!(await isListening(this.#port))) {
      if (child.exitCode !== null || performance.now() > deadline)
        throw new NoWebServer(`The web server of the rehearsal did not start: ${said.trim().split('\n').at(-1) ?? ''}`)
      await new Promise((resolve) => setTimeout(resolve, BETWEEN_TRIES_MS))
    }
  }

  async #stop(): Promise<void> {
    const child = this.#child
    this.#child = undefined
    if (child === undefined || child.exitCode !== null) return
    const ended = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGTERM')
    const timer = setTimeout(() => child.kill('SIGKILL'), LONGEST_END_MS)
    await ended
    clearTimeout(timer)
  }
}

/** The files of a copy; all else is handed out by its content system. */
const writeFiles = async (folder: string, copied: readonly CopiedAddress[]): Promise<void> => {
  // The rules file may hold secrets: the folder is closed to everybody but the web server.
  const user = serverUser()
  if (user !== undefined) await chown(folder, user.uid, user.gid)
  const site = join(folder, SITE)
  await mkdir(site)
  await chmod(site, 0o755)
  for (const one of copied) {
    const file = fileOf(one)
    // A file that finds no room is handed out like a page.
    if (file !== undefined) await writeOpenly(site, file, one.answer.body)
  }
  // There to be named by rules of the site, and never read.
  await writeOpenly(site, 'index.php', '')
}

/** Names that are files and folders at the same time are no files. */
const IN_THE_WAY = ['ENOTDIR', 'EISDIR', 'EEXIST']

/**
 * Read by the user that the web server runs as, whatever rights this process gives to what it writes.
 * @returns whether there is room for it under its name
 */
const writeOpenly = async (folder: string, path: string, content: string | Buffer): Promise<boolean> => {
  const whole = join(folder, path)
  const missing: string[] = []
  for (let at = dirname(whole); at !== folder && !existsSync(at); at = dirname(at)) missing.push(at)
  try {
    await mkdir(dirname(whole), { recursive: true })
    for (const one of missing) await chmod(one, 0o755)
    await writeFile(whole, content)
    await chmod(whole, 0o644)
    return true
  } catch (error) {
    if (IN_THE_WAY.includes((error as NodeJS.ErrnoException).code ?? '')) return false
    throw error
  }
}
