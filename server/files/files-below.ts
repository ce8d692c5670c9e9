import { MOST_ENTRIES, type FileServer } from './file-server.ts'

export interface FilesBelow {
  /** Bytes by name below the folder of the connection. */
  readonly found: Map<string, number>
  /** Whether nothing was passed over: only then is what is missing gone. */
  readonly extent: 'whole' | 'cut'
}

const MOST_FOLDERS = 5000

/**
 * All files below a folder, whatever folders they are in.
 * @param from '' is the folder of the connection
 * @param most files that are taken up
 * @param wanted files that count, and folders that are looked into, by their own names
 * @param told of each folder before it is read
 * @throws FileFailure
 */
export const filesBelow = async (
  files: FileServer,
  {
    from = '',
    most,
    wanted = () => true,
    told = async () => undefined,
  }: {
    readonly from?: string
    readonly most: number
    readonly wanted?: (name: string, kind: 'file' | 'folder') => boolean
    readonly told?: (folder: string) => Promise<void>
  },
): Promise<FilesBelow> => {
  const found = new Map<string, number>()
  let extent: FilesBelow['extent'] = 'whole'
  const folders = [from]
  for (let at = 0; at < folders.length && at < MOST_FOLDERS && found.size < most; at++) {
    const folder = folders[at] ?? ''
    await told(folder)
    const entries = await files.list(folder)
    if (entries.length >= MOST_ENTRIES) extent = 'cut'
    for (const { name, kind, bytes } of entries) {
      if (!wanted(name, kind)) continue
      const path = folder === '' ? name : `${folder}/${name}`
      if (kind === 'folder') folders.push(path)
      else if (found.size < most) found.set(path, bytes)
    }
  }
  return { found, extent: folders.length > MOST_FOLDERS || found.size >= most ? 'cut' : extent }
}
