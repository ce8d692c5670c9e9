import { stat } from 'node:fs/promises'
import { isIP } from 'node:net'
import { Readable, Writable } from 'node:stream'
import { connect as connectTls, type ConnectionOptions, type PeerCertificate } from 'node:tls'
import { Client, enterPassiveModeIPv6, FTPError } from 'basic-ftp'
import { connectHost } from '../../core/http/special-names.ts'
import { guardedLookup } from '../../process/guarded-lookup.ts'
import { refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import {
  FILE_TIMEOUT_MS,
  FileFailure,
  fingerprintOf,
  hostAndPort,
  isPlainName,
  MOST_ENTRIES,
  MOST_FILE_BYTES,
  onItsWay,
  takePlace,
  tooLarge,
  whyNot,
  withParents,
  type FileAccess,
  type FileServer,
  type KeptFile,
  type Renaming,
} from './file-server.ts'

const FTP_PORT = 21
/** Requested action not taken: file unavailable (RFC 959 §4.2.1). */
const UNAVAILABLE = 550
const NOT_LOGGED_IN = 530
const FULL = [452, 552]

const failure = (error: unknown, what: string): FileFailure => {
  if (error instanceof FileFailure) return error
  if (!(error instanceof FTPError)) return new FileFailure(whyNot(error as Error, what))
  if (error.code === NOT_LOGGED_IN) return new FileFailure(`${what} does not accept this user and password.`)
  if (FULL.includes(error.code))
    return new FileFailure(`${what}: The disk of the server is full, or your space is used up.`)
  return new FileFailure(`${what}: The server says “${error.message.slice(0, 200)}”.`)
}

/** The address behind a name, looked up once, so that every connection goes where it was allowed to go. */
const addressBehind = (host: string, reach: PrivateAddresses): Promise<string> =>
  new Promise((resolve, reject) => {
    refusePrivate(host, reach)
    guardedLookup(reach)(connectHost(host), {}, (error, address) =>
      error === null && typeof address === 'string' ? resolve(address) : reject(error ?? new Error('no address')),
    )
  })

/** What the server shows, whoever vouches for it; nothing is said to it. */
const shownCertificate = async (client: Client): Promise<PeerCertificate> => {
  await client.send('AUTH TLS')
  return new Promise((resolve, reject) => {
    const socket = connectTls(
      { socket: client.ftp.socket, rejectUnauthorized: false, timeout: FILE_TIMEOUT_MS },
      () => {
        resolve(socket.getPeerCertificate())
        socket.destroy()
      },
    )
    socket.once('error', reject)
  })
}

const pemOf = ({ raw }: PeerCertificate): string =>
  `-----BEGIN CERTIFICATE-----\n${raw.toString('base64').replace(/.{64}/g, '$&\n')}\n-----END CERTIFICATE-----\n`

/** A certificate that the owner has confirmed, as the only one that counts. @throws FileFailure when it is another */
const confirmed = async (
  target: { host: string; port: number },
  what: string,
  known: string,
): Promise<ConnectionOptions> => {
  const client = new Client(FILE_TIMEOUT_MS)
  try {
    await client.connect(target.host, target.port)
    const shown = await shownCertificate(client)
    const fingerprint = fingerprintOf(shown.raw)
    if (fingerprint !== known)
      throw new FileFailure(
        `${what} shows another certificate than the one you confirmed. Ask your host whether it has changed; somebody may be in between.`,
        'unknown-key',
        fingerprint,
      )
    return {
      ca: pemOf(shown),
      checkServerIdentity: (_host, certificate) =>
        fingerprintOf(certificate.raw) === known ? undefined : new Error('another certificate'),
    }
  } finally {
    client.close()
  }
}

/** OpenSSL's and Node's names for a certificate that nobody vouches for, or that is for another name. */
const NOT_VOUCHED_FOR = /SELF_SIGNED|UNABLE_TO|CERT_|ALTNAME/

const signIn = async ({ place, secret, reach }: FileAccess): Promise<Client> => {
  const { host, port } = hostAndPort(place.address, FTP_PORT)
  const what = `${host}:${port}`
  if (secret.kind === 'key') throw new FileFailure('FTPS takes a password, not a key.')
  const client = new Client(FILE_TIMEOUT_MS, { allowSeparateTransferHost: false })
  // Names no host: what is sent goes to where the orders go (RFC 2428).
  client.prepareTransfer = enterPassiveModeIPv6
  try {
    const target = { host: await addressBehind(host, reach), port }
    const trust = place.fingerprint === null ? {} : await confirmed(target, what, place.fingerprint)
    await client.connect(target.host, target.port)
    await client
      .useTLS({ ...(isIP(host) === 0 && { servername: host }), ...trust })
      .catch(async (error: NodeJS.ErrnoException) => {
        if (!NOT_VOUCHED_FOR.test(error.code ?? '')) throw error
        throw new FileFailure(
          `Nobody that this machine trusts vouches for the certificate of ${what}. Compare its fingerprint with what your host tells you.`,
          'unknown-key',
          await fingerprintAt(target),
        )
      })
    await client.login(place.user, secret.kind === 'password' ? secret.password : '')
    await client.useDefaultSettings()
    return client
  } catch (error) {
    client.close()
    throw failure(error, what)
  }
}

const fingerprintAt = async ({ host, port }: { host: string; port: number }): Promise<string> => {
  const client = new Client(FILE_TIMEOUT_MS)
  try {
    await client.connect(host, port)
    return fingerprintOf((await shownCertificate(client)).raw)
  } finally {
    client.close()
  }
}

const isMissing = (error: unknown): boolean => error instanceof FTPError && error.code === UNAVAILABLE

/** Permission bits as MLST tells them (RFC 3659 §7; the fact UNIX.mode is common practice). */
const modeOf = async (client: Client, path: string): Promise<number | undefined> => {
  const answer = await client.send(`MLST ${path}`).catch(() => undefined)
  const [, mode] = /UNIX\.mode=(\d{3,4})/i.exec(answer?.message ?? '') ?? []
  return mode === undefined ? undefined : Number.parseInt(mode, 8)
}

const readFile = async (client: Client, path: string): Promise<KeptFile | undefined> => {
  try {
    if ((await client.size(path)) > MOST_FILE_BYTES) throw tooLarge(path)
    const chunks: Buffer[] = []
    const sink = new Writable({
      write: (chunk: Buffer, _encoding, done) => {
        chunks.push(chunk)
        done()
      },
    })
    await client.downloadTo(sink, path)
    return { bytes: Buffer.concat(chunks), mode: await modeOf(client, path) }
  } catch (error) {
    if (isMissing(error)) return undefined
    throw failure(error, path)
  }
}

const renaming = (client: Client): Renaming => ({
  rename: async (from, to) => void (await client.rename(from, to)),
  remove: async (name) => void (await client.remove(name)),
})

const LONGEST_HANDSHAKE_MS = 500

/**
 * The content of an empty file. Closed before the server has finished its side of the TLS handshake, a connection without any content is an error to
 * it; the ticket that it sends then says that it has (RFC 8446 §4.6.1). Not every server sends one.
 */
const nothing = (client: Client): Readable =>
  new Readable({
    read() {
      const data = client.ftp.dataSocket
      const end = (): void => {
        clearTimeout(timer)
        data?.removeListener('session', end)
        this.push(null)
      }
      const timer = setTimeout(end, LONGEST_HANDSHAKE_MS)
      data?.once('session', end)
    },
  })

/** Remove what has been written in part, over another connection where this one has ended. */
const removeRest = async (client: Client, access: FileAccess, on: string): Promise<void> => {
  if (!client.closed) return void (await client.remove(on, true).catch(() => undefined))
  const another = await inFolder(access).catch(() => undefined)
  await another?.remove(on, true).catch(() => undefined)
  another?.close()
}

/** Many servers end the transfer before they have said why. */
const writingFailed = (client: Client, error: unknown, path: string): FileFailure => {
  const { message } = failure(error, path)
  return new FileFailure(client.closed ? `${message} The disk of the server may be full.` : message)
}

const writeWhole = async (
  client: Client,
  access: FileAccess,
  path: string,
  { bytes, mode }: KeptFile,
): Promise<void> => {
  const on = onItsWay(path)
  try {
    await client.uploadFrom(bytes.length === 0 ? nothing(client) : Readable.from([bytes]), on)
    if ((await client.size(on)) !== bytes.length)
      throw new FileFailure(`${path}: The server has not taken the whole file.`)
    // Not every server has it; permissions are then those of a new file.
    if (mode !== undefined) await client.send(`SITE CHMOD ${mode.toString(8)} ${on}`, true)
    await takePlace(renaming(client), on, path)
  } catch (error) {
    await removeRest(client, access, on)
    throw writingFailed(client, error, path)
  }
}

/** Sign in, and go to the folder of the site. @throws FileFailure */
const inFolder = async (access: FileAccess): Promise<Client> => {
  const client = await signIn(access)
  const { folder } = access.place
  if (folder !== '')
    await client.cd(folder).catch((error: unknown) => {
      client.close()
      throw isMissing(error)
        ? new FileFailure(`There is no folder ${folder} on the server. Check its path.`)
        : failure(error, folder)
    })
  return client
}

/** Files over FTP with TLS (RFC 4217), orders and contents alike. @throws FileFailure */
export const openFtps = async (access: FileAccess): Promise<FileServer> => {
  const client = await inFolder(access)
  return {
    read: (name) => readFile(client, name),
    write: (name, file) => writeWhole(client, access, name, file),
    send: async (from, name) => {
      const on = onItsWay(name)
      try {
        const { size } = await stat(from)
        await client.uploadFrom(size === 0 ? nothing(client) : from, on)
        const mode = await modeOf(client, name)
        if (mode !== undefined) await client.send(`SITE CHMOD ${mode.toString(8)} ${on}`, true)
        await takePlace(renaming(client), on, name)
      } catch (error) {
        await removeRest(client, access, on)
        throw writingFailed(client, error, name)
      }
    },
    fetch: async (name, to) => {
      await client.downloadTo(to, name).catch((error: unknown) => {
        throw failure(error, name)
      })
    },
    list: async (name) => {
      const entries = await client.list(name).catch((error: unknown) => {
        throw failure(error, name)
      })
      return entries
        .filter((entry) => isPlainName(entry.name) && (entry.isFile || entry.isDirectory))
        .slice(0, MOST_ENTRIES)
        .map((entry) => ({ name: entry.name, kind: entry.isDirectory ? 'folder' : 'file', bytes: entry.size }))
    },
    makeFolder: async (name) => {
      for (const folder of withParents(name)) {
        // 550 is said of a folder that is there already as of one that may not be made; whether it can be used shows next.
        await client.send(`MKD ${folder}`).catch((error: unknown) => {
          if (!isMissing(error)) throw failure(error, name)
        })
      }
    },
    remove: async (name) => {
      await client.remove(name).catch((error: unknown) => {
        throw failure(error, name)
      })
    },
    end: async () => client.close(),
  }
}
