import { createReadStream, createWriteStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { request as httpRequest, type ClientRequest, type IncomingMessage, type RequestOptions } from 'node:http'
import { request as httpsRequest } from 'node:https'
import { pipeline } from 'node:stream/promises'
import { SaxesParser } from 'saxes'
import { isOpenWay, refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import { guardedLookup } from '../../process/guarded-lookup.ts'
import { askOutside, OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'
import {
  FILE_TIMEOUT_MS,
  FileFailure,
  isPlainName,
  MOST_ENTRIES,
  MOST_FILE_BYTES,
  onItsWay,
  whyNot,
  withParents,
  type FileAccess,
  type FileServer,
  type FolderEntry,
  type KeptFile,
} from './file-server.ts'

const SENTENCES: Readonly<Record<number, string>> = {
  401: 'The server does not accept this user and password.',
  403: 'This user may not do that there. Check the permissions of the folder.',
  404: 'There is no such folder. Check its address.',
  405: 'This address does not take files. Check whether it is the WebDAV address.',
  409: 'There is no such folder. Check its address.',
  423: 'The file is locked by somebody else. Try again later.',
  507: 'The disk of the server is full, or your space is used up.',
}

const refusedWith = (status: number, what: string): FileFailure =>
  new FileFailure(`${what}: ${SENTENCES[status] ?? `The server answered with status ${status}.`}`)
const refused = ({ status }: OutsideAnswer, what: string): FileFailure => refusedWith(status, what)

/**
 * A file as the body of a request. A server that has read what was announced answers, and may close before this end has noted that the file has come to
 * its end: what counts then is its answer.
 */
const fileAsBody = async (path: string, size: number, outgoing: ClientRequest): Promise<void> => {
  const source = createReadStream(path)
  await pipeline(source, outgoing).catch((error: unknown) => {
    const isClosed = (error as NodeJS.ErrnoException).code === 'ERR_STREAM_PREMATURE_CLOSE'
    if (!isClosed || source.bytesRead < size) throw error
  })
}

/**
 * A request whose body, or whose answer’s body, is a file: it passes by without being held.
 * @param to where the body of a good answer is written
 * @returns the status
 */
const passing = async (
  url: URL,
  reach: PrivateAddresses,
  options: RequestOptions,
  send: (outgoing: ClientRequest) => Promise<void>,
  to?: string,
): Promise<number> => {
  refusePrivate(url.hostname, reach)
  const outgoing = (url.protocol === 'https:' ? httpsRequest : httpRequest)(url, {
    ...options,
    lookup: guardedLookup(reach),
    agent: false,
    timeout: FILE_TIMEOUT_MS,
  })
  outgoing.once('timeout', () => outgoing.destroy(Object.assign(new Error('timeout'), { code: 'ETIMEDOUT' })))
  const answered = new Promise<IncomingMessage>((resolve, reject) =>
    outgoing.once('response', resolve).on('error', reject),
  )
  // A server may refuse before it has read everything; what it says then is better than the broken connection.
  const sent = send(outgoing).catch((error: unknown) => error)
  const answer = await answered
  const status = answer.statusCode ?? 0
  if (to !== undefined && status === 200) await pipeline(answer, createWriteStream(to, { mode: 0o600 }))
  else answer.resume()
  const failed = await sent
  if (failed !== undefined && status < 400) throw failed
  return status
}

const isDone = ({ status }: OutsideAnswer): boolean => status >= 200 && status < 300

/** Every step of a name as it stands in an address. */
const encoded = (name: string): string => name.split('/').map(encodeURIComponent).join('/')

/** What a multi-status answer names below a folder (RFC 4918 §14.16). @throws FileFailure for what is no such answer */
const entriesOf = (xml: string, folder: URL): FolderEntry[] => {
  const found: FolderEntry[] = []
  let [href, bytes, text] = ['', 0, '']
  let kind: FolderEntry['kind'] = 'file'
  const parser = new SaxesParser({ xmlns: true })
  parser.on('opentag', ({ local, uri }) => {
    text = ''
    if (uri !== 'DAV:') return
    if (local === 'response') [href, bytes, kind] = ['', 0, 'file']
    if (local === 'collection') kind = 'folder'
  })
  parser.on('text', (more) => (text += more))
  parser.on('closetag', ({ local, uri }) => {
    if (uri !== 'DAV:') return
    if (local === 'href') href = text.trim()
    if (local === 'getcontentlength') bytes = Number(text) || 0
    if (local !== 'response' || found.length >= MOST_ENTRIES || !URL.canParse(href, folder)) return
    const { pathname } = new URL(href, folder)
    if (!pathname.startsWith(folder.pathname)) return
    const name = decoded(pathname.slice(folder.pathname.length).replace(/\/$/, ''))
    if (name !== undefined && isPlainName(name)) found.push({ name, kind, bytes })
  })
  try {
    parser.write(xml).close()
  } catch {
    throw new FileFailure(`${folder.href}: The server did not list the folder in a way that can be read.`)
  }
  return found
}

const decoded = (name: string): string | undefined => {
  try {
    return decodeURIComponent(name)
  } catch {
    return undefined
  }
}

/** Answers that list a folder are longer than files of rules. */
const MOST_LIST_BYTES = 32 * 1024 * 1024
const WANTED =
  '<?xml version="1.0" encoding="utf-8"?><propfind xmlns="DAV:"><prop><resourcetype/><getcontentlength/></prop></propfind>'

/** Files below an address that speaks WebDAV. */
class WebDavFiles implements FileServer {
  readonly #root: URL
  readonly #authorization: string
  readonly #reach: FileAccess['reach']

  constructor(root: URL, authorization: string, reach: FileAccess['reach']) {
    this.#root = root
    this.#authorization = authorization
    this.#reach = reach
  }

  async #ask(
    method: string,
    name: string,
    fields: Record<string, string> = {},
    body?: Buffer,
    mostBytes = MOST_FILE_BYTES,
  ): Promise<OutsideAnswer> {
    const url = new URL(encoded(name), this.#root)
    try {
      return await askOutside(url.href, {
        method,
        reach: this.#reach,
        timeoutMs: FILE_TIMEOUT_MS,
        mostBytes,
        fields: { authorization: this.#authorization, 'accept-encoding': 'identity', ...fields },
        ...(body !== undefined && { body }),
      })
    } catch (error) {
      throw error instanceof OutsideFailure ? new FileFailure(error.message) : error
    }
  }

  async read(name: string): Promise<KeptFile | undefined> {
    const answer = await this.#ask('GET', name)
    if (answer.status === 404) return undefined
    if (!isDone(answer)) throw refused(answer, name)
    return { bytes: answer.body, mode: undefined }
  }

  async remove(name: string): Promise<void> {
    const answer = await this.#ask('DELETE', name)
    if (!isDone(answer)) throw refused(answer, name)
  }

  async #moved(on: string, name: string): Promise<void> {
    const answer = await this.#ask('MOVE', on, { destination: new URL(encoded(name), this.#root).href, overwrite: 'T' })
    if (!isDone(answer)) throw refused(answer, name)
  }

  async list(name: string): Promise<FolderEntry[]> {
    const folder = new URL(name === '' ? '' : `${encoded(name)}/`, this.#root)
    const answer = await this.#ask(
      'PROPFIND',
      name === '' ? '' : `${name}/`,
      { depth: '1', 'content-type': 'application/xml' },
      Buffer.from(WANTED),
      MOST_LIST_BYTES,
    )
    if (!isDone(answer)) throw refused(answer, folder.href)
    return entriesOf(answer.body.toString('utf8'), folder)
  }

  async makeFolder(name: string): Promise<void> {
    for (const one of withParents(name)) {
      const answer = await this.#ask('MKCOL', `${one}/`)
      // 405: it is there already (RFC 4918 §9.3.1).
      if (!isDone(answer) && answer.status !== 405) throw refused(answer, name)
    }
  }

  async write(name: string, { bytes }: KeptFile): Promise<void> {
    const on = onItsWay(name)
    try {
      const sent = await this.#ask('PUT', on, { 'content-type': 'application/octet-stream' }, bytes)
      if (!isDone(sent)) throw refused(sent, name)
      if ((await this.read(on))?.bytes.equals(bytes) !== true)
        throw new FileFailure(`${name}: The server has not taken the whole file.`)
      await this.#moved(on, name)
    } catch (error) {
      await this.remove(on).catch(() => undefined)
      throw error
    }
  }

  async send(from: string, name: string): Promise<void> {
    const on = onItsWay(name)
    try {
      const { size } = await stat(from)
      const url = new URL(encoded(on), this.#root)
      const status = await passing(
        url,
        this.#reach,
        { method: 'PUT', headers: { authorization: this.#authorization, 'content-length': String(size) } },
        async (outgoing) => {
          await fileAsBody(from, size, outgoing)
        },
      )
      if (status < 200 || status > 299) throw refusedWith(status, name)
      await this.#moved(on, name)
    } catch (error) {
      await this.remove(on).catch(() => undefined)
      throw error instanceof FileFailure ? error : new FileFailure(whyNot(error as Error, name))
    }
  }

  async fetch(name: string, to: string): Promise<void> {
    try {
      const url = new URL(encoded(name), this.#root)
      const status = await passing(
        url,
        this.#reach,
        { method: 'GET', headers: { authorization: this.#authorization } },
        async (outgoing) => void outgoing.end(),
        to,
      )
      if (status < 200 || status > 299) throw refusedWith(status, name)
    } catch (error) {
      throw error instanceof FileFailure ? error : new FileFailure(whyNot(error as Error, name))
    }
  }

  async end(): Promise<void> {}

  /** @throws FileFailure where the folder is not there, or not to be read */
  async proveFolder(): Promise<void> {
    const found = await this.#ask('PROPFIND', '', { depth: '0' })
    if (!isDone(found)) throw refused(found, this.#root.href)
  }
}

/** Files over WebDAV (RFC 4918). @throws FileFailure */
export const openWebDav = async ({ place, secret, reach }: FileAccess): Promise<FileServer> => {
  const { address, folder } = place
  if (isOpenWay(address))
    throw new FileFailure(
      'Others could read your password on the way to this address. Give one that begins with https.',
    )
  if (secret.kind === 'key') throw new FileFailure('WebDAV takes a password, not a key.')
  const base = new URL(address.endsWith('/') ? address : `${address}/`)
  const root = new URL(
    folder
      .split('/')
      .filter(Boolean)
      .map((part) => `${encodeURIComponent(part)}/`)
      .join(''),
    base,
  )
  const authorization = `Basic ${Buffer.from(`${place.user}:${secret.kind === 'password' ? secret.password : ''}`).toString('base64')}`
  const files = new WebDavFiles(root, authorization, reach)
  await files.proveFolder()
  return files
}
