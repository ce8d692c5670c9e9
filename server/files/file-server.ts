import { createHash } from 'node:crypto'
import { connect, type Socket } from 'node:net'
import type { FilePlace, FileSecret } from '../../core/contracts/file-connections.ts'
import { refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import { connectHost } from '../../core/http/special-names.ts'
import { guardedLookup } from '../../process/guarded-lookup.ts'

/** A file as it was read, with its permissions where the server says them. */
export interface KeptFile {
  readonly bytes: Buffer
  /** Permission bits; undefined: not known. */
  readonly mode: number | undefined
}

/** A file or folder in a folder. */
export interface FolderEntry {
  readonly name: string
  readonly kind: 'file' | 'folder'
  readonly bytes: number
}

/** The files of a site on the machine that serves it; names are below the folder of the connection. */
export interface FileServer {
  /** @returns undefined when there is no such file @throws FileFailure */
  read(name: string): Promise<KeptFile | undefined>
  /**
   * Write a file whole or not at all: under another name first, which then takes its place.
   * @throws FileFailure; the file is then as it was, unless the failure says that it is not known
   */
  write(name: string, file: KeptFile): Promise<void>
  /** Send a file of this machine, of any size, whole or not at all. @throws FileFailure */
  send(from: string, name: string): Promise<void>
  /** Get a file of any size onto this machine. @throws FileFailure */
  fetch(name: string, to: string): Promise<void>
  /** What is in a folder, at most so much that fits in memory; '' is the folder of the connection. @throws FileFailure */
  list(folder: string): Promise<FolderEntry[]>
  /** Make a folder, and those above it; one that is there stays. @throws FileFailure */
  makeFolder(name: string): Promise<void>
  /** Remove a file that is there. @throws FileFailure */
  remove(name: string): Promise<void>
  /** Close the connection; never fails. */
  end(): Promise<void>
}

/** Why files could not be reached or changed; the sentence says what to do. */
export class FileFailure extends Error {
  readonly reason: 'unknown-key' | 'failed'
  /** Of the key or certificate that the server showed. */
  readonly fingerprint: string | null
  constructor(sentence: string, reason: FileFailure['reason'] = 'failed', fingerprint: string | null = null) {
    super(sentence)
    this.reason = reason
    this.fingerprint = fingerprint
  }
}

/** What opening a connection needs. */
export interface FileAccess {
  readonly place: FilePlace
  readonly secret: FileSecret
  /** Whether the owner has said that private networks may be asked. */
  readonly reach: PrivateAddresses
}

/** A rules file has a few kilobytes; more is none. */
export const MOST_FILE_BYTES = 256 * 1024
export const FILE_TIMEOUT_MS = 20_000

/** Name under which a file is written before it takes the place of the one that is there. */
export const onItsWay = (name: string): string => `${name}.zest-new`

/** Entries of one folder that are taken up. */
export const MOST_ENTRIES = 20_000

/** Whether a name that a server tells is one that can be asked for: one step down, and nothing that ends a line. */
export const isPlainName = (name: string): boolean =>
  name !== '' && name !== '.' && name !== '..' && name.length <= 255 && !/[/\\\p{Cc}]/u.test(name)

/** A folder and those above it, the uppermost first. */
export const withParents = (folder: string): string[] =>
  folder
    .split('/')
    .filter(Boolean)
    .map((_, index, parts) => parts.slice(0, index + 1).join('/'))

export const tooLarge = (name: string): FileFailure =>
  new FileFailure(`The file ${name} is larger than 256 kB. Such a file is left alone.`)

/** What a file server can do with names. */
export interface Renaming {
  rename(from: string, to: string): Promise<void>
  remove(name: string): Promise<void>
}

/**
 * Let a file take the place of another. Where the server does not rename over a file that is there, the old one steps aside, and comes back when the new
 * one does not arrive.
 */
export const takePlace = async ({ rename, remove }: Renaming, from: string, to: string): Promise<void> => {
  try {
    return await rename(from, to)
  } catch (error) {
    const aside = `${to}.zest-old`
    // It was not the file in the way that made it fail.
    await rename(to, aside).catch(() => Promise.reject(error as Error))
    try {
      await rename(from, to)
    } catch (again) {
      await rename(aside, to)
      throw again
    }
    await remove(aside)
  }
}

/** SHA-256 of a host key or certificate, as the owner is shown it. */
export const fingerprintOf = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('base64url')

/** Host and port of an address that may name a port. */
export const hostAndPort = (address: string, usual: number): { host: string; port: number } => {
  const [, host = address, port] = /^(\[[^\]]*\]|[^:]*)(?::(\d+))?$/.exec(address) ?? []
  return { host: host.replace(/^\[|\]$/g, ''), port: port === undefined ? usual : Number(port) }
}

/** A connection to a file server, only where it may go. @throws FileFailure */
export const connectTo = ({ host, port }: { host: string; port: number }, reach: PrivateAddresses): Promise<Socket> =>
  new Promise((resolve, reject) => {
    const fail = (error: Error): void =>
      reject(Object.assign(new FileFailure(whyNot(error, `${host}:${port}`)), { cause: error }))
    try {
      refusePrivate(host, reach)
    } catch (error) {
      return fail(error as Error)
    }
    const socket = connect({ host: connectHost(host), port, lookup: guardedLookup(reach), timeout: FILE_TIMEOUT_MS })
    socket.once('error', fail)
    socket.once('timeout', () => socket.destroy(Object.assign(new Error('timeout'), { code: 'ETIMEDOUT' })))
    socket.once('connect', () => {
      socket.setTimeout(0)
      socket.removeListener('error', fail)
      resolve(socket)
    })
  })

const WHY: Readonly<Record<string, string>> = {
  ENOTFOUND: 'There is no such host. Check the spelling.',
  EAI_AGAIN: 'The name could not be looked up. Check the spelling, and that this machine reaches a name server.',
  ECONNREFUSED: 'Nothing answers there. Check the host, the port and the protocol.',
  ETIMEDOUT: 'It did not answer in time. Check the host and the port.',
  ECONNRESET: 'The connection was closed by the other side.',
  EPIPE: 'The connection was closed by the other side.',
  ENOSPC: 'The disk of the server is full.',
  EDQUOT: 'The space that you have on the server is used up.',
  EACCES: 'This user may not do that there. Check the permissions of the folder.',
  EPERM: 'This user may not do that there. Check the permissions of the folder.',
  ENOENT: 'There is no such folder. Check its path.',
}

/** Why something did not work with a file server. @param what it was done with, for the beginning of the sentence */
export const whyNot = (error: Error, what: string): string => {
  const { code } = error as NodeJS.ErrnoException
  const known = typeof code === 'string' ? WHY[code] : undefined
  return `${what}: ${known ?? `${error.message.replace(/\.$/, '')}.`}`
}
