import { readFile, rename, writeFile } from 'node:fs/promises'
import type { z } from 'zod'

/** What an earlier process has learnt or counted. @returns undefined when there is nothing, or it cannot be read: it begins again */
export const loadKept = async <T>(path: string, schema: z.ZodType<T>): Promise<T | undefined> => {
  try {
    return schema.parse(JSON.parse(await readFile(path, 'utf8')))
  } catch {
    return undefined
  }
}

/** Written beside and renamed, so that a file is there whole or as it was before. */
export const saveKept = async (path: string, kept: unknown): Promise<void> => {
  await writeFile(`${path}.part`, JSON.stringify(kept))
  await rename(`${path}.part`, path)
}
