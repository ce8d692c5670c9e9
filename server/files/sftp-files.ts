import type { Client, FileEntryWithStats, SFTPWrapper, Stats } from 'ssh2'
import {
  FILE_TIMEOUT_MS,
  FileFailure,
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
  type FolderEntry,
  type KeptFile,
  type Renaming,
} from './file-server.ts'
import { closed, LOST, signInOverSsh } from './ssh-connection.ts'

const PERMISSIONS = 0o7777
/** SSH_FX_NO_SUCH_FILE (draft-ietf-secsh-filexfer-02 §7). */
const NO_SUCH_FILE = 2

/** Calls back once: with an error, or with what was asked for. */
type Ended<T> = (error: Error | null | undefined, value: T) => void

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

/** A transfer, which may take any time, and ends with the connection. */
const transfer = (client: Client, what: string, start: (ended: Ended<void>) => void): Promise<void> =>
  new Promise((resolve, reject) => {
    const onClose = (): void => reject(new FileFailure(`${what}: ${LOST}`))
    if (closed.has(client)) return onClose()
    client.once('close', onClose)
    start((error) => {
      client.removeListener('close', onClose)
      if (error === null || error === undefined) resolve()
      else reject(error)
    })
  })

/** Give a file the permissions of the one whose place it takes, if there is one. */
const keepPermissions = async (client: Client, sftp: SFTPWrapper, path: string, on: string): Promise<void> => {
  const before = await operation<Stats>(client, path, (ended) => sftp.stat(path, ended)).catch((error: unknown) => {
    if (codeOf(error) !== NO_SUCH_FILE) throw error
  })
  if (before === undefined) return
  const mode = before.mode & PERMISSIONS
  await operation<void>(client, path, (ended) => sftp.chmod(on, mode, (error) => ended(error, undefined)))
}

const sendWhole = async (client: Client, sftp: SFTPWrapper, from: string, path: string): Promise<void> => {
  const on = onItsWay(path)
  try {
    await transfer(client, path, (ended) => sftp.fastPut(from, on, (error) => ended(error, undefined)))
    await keepPermissions(client, sftp, path, on)
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

const listFolder = async (client: Client, sftp: SFTPWrapper, path: string): Promise<FolderEntry[]> => {
  try {
    const entries = await operation<FileEntryWithStats[]>(client, path, (ended) => sftp.readdir(path, ended))
    return entries
      .filter(({ filename, attrs }) => isPlainName(filename) && (attrs.isFile() || attrs.isDirectory()))
      .slice(0, MOST_ENTRIES)
      .map(({ filename, attrs }) => ({
        name: filename,
        kind: attrs.isDirectory() ? 'folder' : 'file',
        bytes: attrs.size,
      }))
  } catch (error) {
    throw failure(error, path)
  }
}

const makeFolder = async (client: Client, sftp: SFTPWrapper, path: string): Promise<void> => {
  const isThere = await operation<Stats>(client, path, (ended) => sftp.stat(path, ended)).then(
    (stats) => stats.isDirectory(),
    () => false,
  )
  if (isThere) return
  await operation<void>(client, path, (ended) => sftp.mkdir(path, (error) => ended(error, undefined))).catch(
    (error: unknown) => {
      throw failure(error, path)
    },
  )
}

/** Files over SFTP (SSH File Transfer Protocol, version 3). @throws FileFailure */
export const openSftp = async (access: FileAccess): Promise<FileServer> => {
  const client = await signInOverSsh({ ...access.place, secret: access.secret, reach: access.reach })
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
      send: (from, name) => sendWhole(client, sftp, from, base + name),
      fetch: (name, to) =>
        transfer(client, name, (ended) => sftp.fastGet(base + name, to, (error) => ended(error, undefined))).catch(
          (error: unknown) => {
            throw failure(error, name)
          },
        ),
      list: (name) => listFolder(client, sftp, base + name || '.'),
      makeFolder: async (name) => {
        for (const folder of withParents(name)) await makeFolder(client, sftp, base + folder)
      },
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
