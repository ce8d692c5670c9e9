import { createReadStream } from 'node:fs'
import { open, stat } from 'node:fs/promises'
import type { Readable } from 'node:stream'
import { and, eq } from 'drizzle-orm'
import { ZipFile } from 'yazl'
import type { PictureForm } from '../../core/contracts/picture-library.ts'
import type { HasDatabase } from '../db/database.ts'
import { libraryPictures } from '../db/pictures-schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { askedSiteOf } from '../net/asked-site.ts'
import { getSite } from '../sites/sites.ts'
import { fetchPicture } from './fetch-picture.ts'
import { pictureRow } from './library.ts'
import { preparedPath, type HasPicturesFolder } from './prepared-folder.ts'

/** A picture as it is sent to the owner’s browser. */
export interface PictureBytes {
  readonly type: string
  readonly body: Buffer | Readable
  readonly bytes: number
}

/** The original, from the server of the site. @throws AppError NOT_FOUND */
export const originalPicture = async (
  needed: HasDatabase & HasAddresses,
  siteId: string,
  pictureId: string,
): Promise<PictureBytes> => {
  const { path, form } = await pictureRow(needed, siteId, pictureId)
  const came = await fetchPicture(askedSiteOf(await getSite(needed, siteId)), path)
  // Only what was seen to be a picture is handed on as one.
  if (came.kind !== 'here' || form === null) throw errors.notFound('picture on the server of the site')
  return { type: `image/${form}`, body: came.bytes, bytes: came.bytes.length }
}

/** A lighter picture. @throws AppError NOT_FOUND */
export const lighterPicture = async (
  needed: HasDatabase & HasPicturesFolder,
  siteId: string,
  pictureId: string,
  form: PictureForm,
): Promise<PictureBytes> => {
  const { digest, variants } = await pictureRow(needed, siteId, pictureId)
  const variant = variants.find((one) => one.form === form)
  if (variant === undefined) throw errors.notFound('lighter picture')
  const path = preparedPath(needed, siteId, digest, variant)
  const { size } = await stat(path).catch(() => Promise.reject(errors.notFound('lighter picture')))
  return { type: `image/${form}`, body: createReadStream(path), bytes: size }
}

/** Name in the archive: where the picture is on the site; other forms beside it under its name and theirs. */
const archiveName = (path: string, own: PictureForm | null, form: PictureForm): string | undefined => {
  let plain = path.split('?', 1)[0] ?? ''
  try {
    plain = decodeURIComponent(plain)
  } catch {
    // As it is written, then.
  }
  const name = plain.replace(/^\/+/, '')
  if (name === '' || /[\\\p{Cc}:]/u.test(name) || name.split('/').some((part) => part === '..' || part === '.'))
    return undefined
  return form === own ? name : `${name}.${form}`
}

/** All lighter pictures as one archive (ZIP), made while it is sent. @throws AppError NOT_FOUND */
export const pictureArchive = async (
  needed: HasDatabase & HasPicturesFolder & HasAddresses,
  siteId: string,
): Promise<Readable> => {
  await getSite(needed, siteId)
  const rows = await needed.db
    .select({
      path: libraryPictures.path,
      form: libraryPictures.form,
      digest: libraryPictures.digest,
      variants: libraryPictures.variants,
    })
    .from(libraryPictures)
    .where(and(eq(libraryPictures.siteId, siteId), eq(libraryPictures.state, 'lighter')))
  if (rows.length === 0) throw errors.notFound('lighter picture')
  const zip = new ZipFile()
  const names = new Set<string>()
  for (const { path, form: own, digest, variants } of rows)
    for (const variant of variants) {
      const name = archiveName(path, own, variant.form)
      if (name === undefined || names.has(name)) continue
      names.add(name)
      // Pictures are compressed already.
      zip.addReadStreamLazy(name, { compress: false }, (give) => {
        open(preparedPath(needed, siteId, digest, variant)).then(
          (file) => give(null, file.createReadStream()),
          (error: unknown) => give(error, undefined as never),
        )
      })
    }
  const archive = zip.outputStream as Readable
  // A file that goes while it is sent breaks the archive off, and nothing else.
  zip.on('error', (error: Error) => archive.destroy(error))
  zip.end()
  return archive
}
