import { chmod, mkdir } from 'node:fs/promises'

/** Make a folder that only the user of this process can look into, also where it was there before. Nothing below it is anybody else's to read. */
export const ownFolder = async (path: string): Promise<void> => {
  await mkdir(path, { recursive: true, mode: 0o700 })
  await chmod(path, 0o700)
}
