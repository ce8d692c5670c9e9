import { Client, type SFTPWrapper, type Stats } from 'ssh2'
import {
  connectTo,
  FILE_TIMEOUT_MS,
  FileFailure,
  fingerprintOf,
  hostAndPort,
  MOST_FILE_BYTES,
  onItsWay,
  takePlace,
  tooLarge,
  whyNot,
  type FileAccess,
  type FileServer,
  type KeptFile,
  type Renaming,
} from './file-server.ts'

const SSH_PORT = 22
const PERMISSIONS = 0o7777
/** SSH_FX_NO_SUCH_FILE (draft-ietf-secsh-filexfer-02 §7). */
const NO_SUCH_FILE = 2

/** Calls back once: with an error, or with what was asked for. */
type Ended<T> = (error: Error | null | undefined, value: T) => void

const LOST = 'The connection was lost on the way.'

/** What the server says in numbers, in the words of a sentence (as before, §7). */
const SAID: Readonly<Record<number, string>> = {
  3: 'This user may not do that there. Check the permissions of the folder.',
  4: 'The server could not do it. Its disk may be full, or the folder may not be writable.',
  6: LOST,
  7: LOST,
}

const codeOf = (error: unknown): number | undefined => {
  const { code } = error as { code?: unknown }
  return typeof code === 'number' ? code : undefined
}

const failure = (error: unknown, what: string): FileFailure => {
  if (error instanceof FileFailure) return error
  const said = SAID[codeOf(error) ?? -1]
  return new FileFailure(said === undefined ? whyNot(error as Error, what) : `${what}: ${said}`)
}

/** Connections that are closed say nothing any more, not even that. */
const closed = new WeakSet<Client>()

/** One operation, which ends with the connection too. */
const operation = <T>(client: Client, what: string, start: (ended: Ended<T>) => void): Promise<T> =>
  new Promise((resolve, reject) => {
    if (closed.has(client)) return reject(new FileFailure(`${what}: ${LOST}`))
    const end = (): void => {
      client.removeListener('close', onClose)
      clearTimeout(timer)
    }
    const onClose = (): void => {
      end()
      reject(new FileFailure(`${what}: ${LOST}`))
    }
    const timer = setTimeout(() => {
      end()
      reject(new FileFailure(`${what}: The server did not answer in time.`))
    }, FILE_TIMEOUT_MS)
    client.once('close', onClose)
    try {
      start((error, value) => {
        end()
        if (error === null || error === undefined) resolve(value)
        else reject(error)
      })
    } catch (error) {
      end()
      reject(error)
    }
  })

/** @throws FileFailure; with the server's key where the owner has not confirmed it */
const signIn = async ({ place, secret, reach }: FileAccess): Promise<Client> => {
  const target = hostAndPort(place.address, SSH_PORT)
  const what = `${target.host}:${target.port}`
  const sock = await connectTo(target, reach)
  const client = new Client()
  let shown: string | null = null
  return new Promise((resolve, reject) => {
    client.once('ready', () => resolve(client))
    client.once('close', () => {
      closed.add(client)
      reject(new FileFailure(`${what}: ${LOST}`))
    })
    client.on('error', (error: Error & { level?: string }) => {
      if (shown !== null && shown !== place.fingerprint)
        return reject(
          new FileFailure(
            place.fingerprint === null
              ? `${what} shows a key that nobody has confirmed yet. Compare it with what your host tells you.`
              : `${what} shows another key than the one you confirmed. Ask your host whether it has changed; somebody may be in between.`,
            'unknown-key',
            shown,
          ),
        )
      if (error.level === 'client-authentication')
        return reject(new FileFailure(`${what} does not accept this user and password or key.`))
      reject(new FileFailure(whyNot(error, what)))
    })
    client.connect({
      sock,
      username: place.user,
      readyTimeout: FILE_TIMEOUT_MS,
      ...(secret.kind === 'password' && { password: secret.password }),
      ...(secret.kind === 'key' && { privateKey: secret.key, passphrase: secret.passphrase }),
      hostVerifier: (key: Buffer) => {
        shown = fingerprintOf(key)
        return shown === place.fingerprint
      },
    })
  })
}

const renaming = (client: Client, sftp: SFTPWrapper): Renaming => ({
  // The protocol's own rename refuses where a file is in the way; the one of OpenSSH takes its place at once.
  rename: (from, to) =>
    operation<void>(client, to, (ended) => {
      try {
        sftp.ext_openssh_rename(from, to, (error) => ended(error, undefined))
      } catch {
        sftp.rename(from, to, (error) => ended(error, undefined))
      }
    }),
  remove: (name) => operation<void>(client, name, (ended) => sftp.unlink(name, (error) => ended(error, undefined))),
})

const writeWhole = async (
  client: Client,
  sftp: SFTPWrapper,
  path: string,
  { bytes, mode }: KeptFile,
): Promise<void> => {
  const on = onItsWay(path)
  const write = operation<Buffer>(client, path, (ended) => sftp.open(on, 'w', ended)).then(async (handle) => {
    if (bytes.length > 0)
      await operation<void>(client, path, (ended) =>
        sftp.write(handle, bytes, 0, bytes.length, 0, (error) => ended(error, undefined)),
      )
    await operation<void>(client, path, (ended) => sftp.close(handle, (error) => ended(error, undefined)))
  })
  try {
    await write
    const { size } = await operation<Stats>(client, path, (ended) => sftp.stat(on, ended))
    if (size !== bytes.length) throw new FileFailure(`${path}: The server has not taken the whole file.`)
    if (mode !== undefined)
      await operation<void>(client, path, (ended) => sftp.chmod(on, mode, (error) => ended(error, undefined)))
    await takePlace(renaming(client, sftp), on, path)
  } catch (error) {
    await renaming(client, sftp)
      .remove(on)
      .catch(() => undefined)
    throw failure(error, path)
  }
}

const readFile = async (client: Client, sftp: SFTPWrapper, path: string): Promise<KeptFile | undefined> => {
  try {
    const { size, mode } = await operation<Stats>(client, path, (ended) => sftp.stat(path, ended))
    if (size > MOST_FILE_BYTES) throw tooLarge(path)
    const bytes = await operation<Buffer>(client, path, (ended) => sftp.readFile(path, ended))
    return { bytes, mode: mode & PERMISSIONS }
  } catch (error) {
    if (codeOf(error) === NO_SUCH_FILE) return undefined
    throw failure(error, path)
  }
}

/** Files over SFTP (SSH File Transfer Protocol, version 3). @throws FileFailure */
export const openSftp = async (access: FileAccess): Promise<FileServer> => {
  const client = await signIn(access)
  const end = async (): Promise<void> => {
    client.end()
    client.destroy()
  }
  try {
    const sftp = await operation<SFTPWrapper>(client, access.place.address, (ended) => client.sftp(ended))
    const { folder } = access.place
    const base = folder === '' ? '' : `${folder.replace(/\/+$/, '')}/`
    if (base !== '')
      await operation<Stats>(client, folder, (ended) => sftp.stat(base, ended)).catch((error: unknown) => {
        throw codeOf(error) === NO_SUCH_FILE
          ? new FileFailure(`There is no folder ${folder} on the server. Check its path.`)
          : failure(error, folder)
      })
    return {
      read: (name) => readFile(client, sftp, base + name),
      write: (name, file) => writeWhole(client, sftp, base + name, file),
      remove: (name) =>
        renaming(client, sftp)
          .remove(base + name)
          .catch((error: unknown) => {
            throw failure(error, name)
          }),
      end,
    }
  } catch (error) {
    await end()
    throw failure(error, access.place.address)
  }
}
