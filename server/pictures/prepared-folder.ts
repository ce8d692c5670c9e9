import { mkdir, readdir, rename, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { PictureForm, PictureVariant } from '../../core/contracts/picture-library.ts'
import { preparedName, readPreparedName } from '../../core/pictures/prepared-name.ts'
import { DeliveryUnavailable, type HasDelivery } from '../../delivery/control/client.ts'

/** Where lighter pictures are, a folder for each site; delivery reads them from there. */
export interface HasPicturesFolder {
  readonly picturesFolder: string
}

/** A lighter picture as a file. */
export const preparedPath = (
  { picturesFolder }: HasPicturesFolder,
  siteId: string,
  digest: string,
  { width, form }: Pick<PictureVariant, 'width' | 'form'>,
): string => join(picturesFolder, siteId, preparedName({ source: digest, width, form }))

/** Keep the lighter pictures of one source, each whole or not at all, in place of those there were. */
export const putPrepared = async (
  needed: HasPicturesFolder,
  siteId: string,
  digest: string,
  variants: readonly { readonly form: PictureForm; readonly width: number; readonly bytes: Buffer }[],
): Promise<void> => {
  await mkdir(join(needed.picturesFolder, siteId), { recursive: true, mode: 0o700 })
  const paths = new Set<string>()
  for (const { bytes, ...variant } of variants) {
    const path = preparedPath(needed, siteId, digest, variant)
    await writeFile(`${path}.part`, bytes, { mode: 0o600 })
    await rename(`${path}.part`, path)
    paths.add(path)
  }
  await removePrepared(needed, siteId, digest, paths)
}

/** Remove the lighter pictures of one source. @param but paths that stay */
export const removePrepared = async (
  needed: HasPicturesFolder,
  siteId: string,
  digest: string,
  but: ReadonlySet<string> = new Set(),
): Promise<void> => {
  const folder = join(needed.picturesFolder, siteId)
  for (const name of await readdir(folder).catch(() => []))
    if (readPreparedName(name)?.source === digest && !but.has(join(folder, name))) await rm(join(folder, name))
}

/** Remove all lighter pictures of a site. */
export const forgetPrepared = async ({ picturesFolder }: HasPicturesFolder, siteId: string): Promise<void> =>
  rm(join(picturesFolder, siteId), { recursive: true, force: true })

/** Delivery learns that the lighter pictures of a site have changed; one that does not run reads them when it starts. */
export const tellDelivery = async ({ delivery }: HasDelivery, siteId: string): Promise<void> => {
  try {
    await delivery.picturesChanged(siteId)
  } catch (error) {
    if (!(error instanceof DeliveryUnavailable)) throw error
  }
}
