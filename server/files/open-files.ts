import type { FileAccess, FileServer } from './file-server.ts'
import { openFolder } from './folder-files.ts'
import { openFtps } from './ftps-files.ts'
import { openSftp } from './sftp-files.ts'
import { openWebDav } from './webdav-files.ts'

/** Open the files of a site. @param roots folders of this machine that are open to sites @throws FileFailure */
export const openFiles = (access: FileAccess, roots: readonly string[]): Promise<FileServer> => {
  switch (access.place.protocol) {
    case 'sftp':
      return openSftp(access)
    case 'ftps':
      return openFtps(access)
    case 'webdav':
      return openWebDav(access)
    case 'folder':
      return openFolder(access.place, roots)
  }
}

/** Do something with the files of a site, and close the connection whatever comes of it. @throws FileFailure */
export const withFiles = async <T>(
  open: () => Promise<FileServer>,
  act: (files: FileServer) => Promise<T>,
): Promise<T> => {
  const files = await open()
  try {
    return await act(files)
  } finally {
    await files.end()
  }
}
