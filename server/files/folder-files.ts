import {
  chmod,
  chown,
  copyFile,
  mkdir,
  open,
  readdir,
  readFile,
  realpath,
  rename,
  rm,
  stat,
  unlink,
} from 'node:fs/promises'
import { dirname, isAbsolute, join, relative } from 'node:path'
import type { FilePlace } from '../../core/contracts/file-connections.ts'
import {
  FileFailure,
  isPlainName,
  MOST_ENTRIES,
  MOST_FILE_BYTES,
  onItsWay,
  tooLarge,
  whyNot,
  withParents,
  type FileServer,
  type FolderEntry,
  type KeptFile,
} from './file-server.ts'

const PERMISSIONS = 0o7777

const isMissing = (error: unknown): boolean => (error as NodeJS.ErrnoException).code === 'ENOENT'

const isWithin = (folder: string, root: string): boolean => {
  const way = relative(root, folder)
  return way === '' || (!way.startsWith('..') && !isAbsolute(way))
}

/** What a new file or folder may be used for by whom: as its folder, whatever rights this process gives to what it makes. */
const asOpenAs = async (folder: string): Promise<number> => (await stat(folder)).mode & PERMISSIONS

const READ_AND_WRITE = 0o666

/** Permissions of the file that is there, or else those that a new one gets. */
const permissionsFor = async (path: string): Promise<number> => {
  try {
    return (await stat(path)).mode & PERMISSIONS
  } catch (error) {
    if (!isMissing(error)) throw error
    return (await asOpenAs(dirname(path))) & READ_AND_WRITE
  }
}

const failing = (what: string) => (error: unknown) => {
  throw error instanceof FileFailure ? error : new FileFailure(whyNot(error as Error, what))
}

/** Write so that the file is whole on the disk before it takes its place, with the permissions and the owner of what was there. */
const writeWhole = async (path: string, { bytes, mode }: KeptFile): Promise<void> => {
  const before = await stat(path).catch((error: unknown) => (isMissing(error) ? undefined : Promise.reject(error)))
  const on = onItsWay(path)
  try {
    const file = await open(on, 'w', 0o600)
    try {
      await file.writeFile(bytes)
      await file.sync()
    } finally {
      await file.close()
    }
    await chmod(on, mode ?? (await permissionsFor(path)))
    // Only who may give files away can; otherwise the new file is ours, as any editor would leave it.
    if (before !== undefined) await chown(on, before.uid, before.gid).catch(() => undefined)
    await rename(on, path)
  } catch (error) {
    await rm(on, { force: true })
    throw error
  }
}

/** A copy that is whole on the disk before it takes its place. */
const copyWhole = async (from: string, to: string): Promise<void> => {
  const on = onItsWay(to)
  try {
    await copyFile(from, on)
    await chmod(on, await permissionsFor(to))
    const file = await open(on, 'r+')
    await file.sync().finally(() => file.close())
    await rename(on, to)
  } catch (error) {
    await rm(on, { force: true })
    throw error
  }
}

/** Make a folder that is as open as the one it is in. */
const makeAsOpen = async (path: string): Promise<void> => {
  try {
    await mkdir(path)
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST' && (await stat(path)).isDirectory()) return
    throw error
  }
  await chmod(path, await asOpenAs(dirname(path)))
}

const entriesOf = async (path: string): Promise<FolderEntry[]> => {
  const found: FolderEntry[] = []
  for (const entry of await readdir(path, { withFileTypes: true })) {
    if (found.length >= MOST_ENTRIES || !isPlainName(entry.name)) continue
    if (entry.isDirectory()) found.push({ name: entry.name, kind: 'folder', bytes: 0 })
    // What a link leads to may be anywhere.
    if (entry.isFile()) found.push({ name: entry.name, kind: 'file', bytes: (await stat(join(path, entry.name))).size })
  }
  return found
}

/**
 * Files in a folder of this machine, for instance a mounted one.
 * @param roots folders that whoever runs this machine has opened for sites
 * @throws FileFailure
 */
export const openFolder = async ({ folder }: FilePlace, roots: readonly string[]): Promise<FileServer> => {
  const real = await realpath(folder).catch(failing(folder))
  const allowed = await Promise.all(roots.map((root) => realpath(root).catch(() => root)))
  // Where it leads counts, not what it is called.
  if (!allowed.some((root) => isWithin(real, root)))
    throw new FileFailure(
      `The folder ${folder} is not open to sites. Whoever runs this machine names such folders in ZEST_SITE_FOLDERS.`,
    )
  const at = (name: string): string => {
    const path = join(real, name)
    if (!isWithin(path, real)) throw new FileFailure(`${name} is not in the folder.`)
    return path
  }
  return {
    read: async (name) => {
      try {
        const { size, mode } = await stat(at(name))
        if (size > MOST_FILE_BYTES) throw tooLarge(name)
        return { bytes: await readFile(at(name)), mode: mode & PERMISSIONS }
      } catch (error) {
        return isMissing(error) ? undefined : failing(name)(error)
      }
    },
    write: (name, file) => writeWhole(at(name), file).catch(failing(name)),
    send: (from, name) => copyWhole(from, at(name)).catch(failing(name)),
    fetch: (name, to) => copyFile(at(name), to).catch(failing(name)),
    list: (name) => entriesOf(at(name)).catch(failing(name)),
    makeFolder: async (name) => {
      for (const one of withParents(name)) await makeAsOpen(at(one)).catch(failing(name))
    },
    remove: (name) => unlink(at(name)).catch(failing(name)),
    end: async () => undefined,
  }
}
