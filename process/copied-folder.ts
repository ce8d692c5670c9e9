import { constants } from 'node:fs'
import { cp, rename, rm, stat } from 'node:fs/promises'

const exists = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  )

/** Begin a folder with a copy, where it is not there yet. It is there as a whole, or not at all. @param template undefined or not there: nothing happens */
export const beginWithCopy = async (folder: string, template: string | undefined): Promise<void> => {
  if (template === undefined || (await exists(folder)) || !(await exists(template))) return
  const copy = `${folder}.copy`
  // What a start that was stopped has left.
  await rm(copy, { recursive: true, force: true })
  await cp(template, copy, { recursive: true, mode: constants.COPYFILE_FICLONE })
  await rename(copy, folder)
}
