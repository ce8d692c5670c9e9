import { createHash } from 'node:crypto'
import { ABOUT_BYTES } from '../../core/http/about-bytes.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { fieldValue, withField, withoutFields } from '../../core/http/fields.ts'
import { compileExceptions, type Exceptions } from '../../core/page/context/exceptions.ts'
import type { PictureForm } from '../../core/page/pictures/widths.ts'
import type { Rewriting, Route } from '../request/routes.ts'
import type { StoredEntry } from '../store/response-store.ts'
import type { PreparedChoice } from '../transform/prepared-pictures.ts'
import { isGeneratedPath } from '../transform/generated-assets.ts'
import type { RequestContext } from './request-context.ts'
import { varyBy } from './response-fields.ts'

const FORMS: Readonly<Record<string, PictureForm>> = {
  'image/jpeg': 'jpeg',
  'image/png': 'png',
  'image/webp': 'webp',
  'image/gif': 'gif',
  'image/avif': 'avif',
}

const formOf = ({ fields }: StoredEntry): PictureForm | undefined => {
  const [type = ''] = (fieldValue(fields, 'content-type') ?? '').split(';', 1)
  return FORMS[type.trim().toLowerCase()]
}

const exceptions = new WeakMap<Rewriting, Exceptions>()
const exceptionsOf = (rewriting: Rewriting): Exceptions => {
  const known = exceptions.get(rewriting)
  if (known !== undefined) return known
  const compiled = compileExceptions(rewriting.remedies.images.exceptions)
  exceptions.set(rewriting, compiled)
  return compiled
}

/** Whether a route sends lighter pictures for the originals. */
const isOn = ({ rewriting }: Route): boolean =>
  rewriting !== undefined && rewriting.remedies.images.enabled && rewriting.remedies.images.prepared

/**
 * Whether there is a lighter picture for a stored one that may be changed: no-transform forbids it (RFC 9110 §7.7), and so do the owner's exceptions.
 */
export const mayBeLighter = ({ io, route, path }: RequestContext, entry: StoredEntry): boolean => {
  const digest = entry.bodies[0]?.digest
  if (digest === undefined || !isOn(route) || io.prepared?.has(route.siteId, digest) !== true) return false
  return (
    entry.status === 200 &&
    !isGeneratedPath(entry) &&
    formOf(entry) !== undefined &&
    !parseDirectives(fieldValue(entry.fields, 'cache-control')).has('no-transform') &&
    route.rewriting !== undefined &&
    exceptionsOf(route.rewriting).file(new URL(path, 'http://site')) === undefined
  )
}

/** Entries as they are sent instead, by what is sent: one for all visitors, so that their fields are made once. */
const instead = new WeakMap<StoredEntry, Map<string, StoredEntry>>()

const entryWith = (entry: StoredEntry, name: string, make: () => StoredEntry): StoredEntry => {
  let known = instead.get(entry)
  if (known === undefined) instead.set(entry, (known = new Map()))
  const found = known.get(name)
  if (found !== undefined) return found
  const made = make()
  // Made again in another quality, a picture has another name; a few of them are enough.
  if (known.size >= 8) known.clear()
  known.set(name, made)
  return made
}

const digests = new WeakMap<Buffer, string>()
/** Of bytes that are held in memory; reckoned once. */
export const digestOf = (bytes: Buffer): string => {
  const known = digests.get(bytes)
  if (known !== undefined) return known
  const digest = createHash('sha256').update(bytes).digest('base64url').slice(0, 22)
  digests.set(bytes, digest)
  return digest
}

/** The original, told apart from lighter ones for caches on the way: which one it is depends on what the browser takes (RFC 9110 §12.5.5). */
export const originalBesideLighter = (entry: StoredEntry): StoredEntry =>
  entryWith(entry, 'original', () => ({ ...entry, fields: varyBy(entry.fields, 'accept') }))

/** The original’s date is no name for other bytes: a part of them must never be put to a part of the original (RFC 9110 §13.1.5). */
const NOT_OF_LIGHTER = new Set([...ABOUT_BYTES, 'last-modified'])

const lighterEntry = (entry: StoredEntry, { form, bytes }: PreparedChoice): StoredEntry => {
  const digest = digestOf(bytes)
  return entryWith(entry, digest, () => ({
    ...entry,
    fields: varyBy(withField(withoutFields(entry.fields, NOT_OF_LIGHTER), 'content-type', `image/${form}`), 'accept'),
    rewritten: true,
    bodies: [{ coding: 'identity', bytes: bytes.length, digest }],
  }))
}

/** The lightest picture that the browser takes in place of a stored one. @returns undefined: the original it is */
export const lighterPicture = async (
  { io, route, fields }: RequestContext,
  entry: StoredEntry,
): Promise<{ entry: StoredEntry; bytes: Buffer } | undefined> => {
  const [own, digest] = [formOf(entry), entry.bodies[0]?.digest]
  if (own === undefined || digest === undefined) return undefined
  const accept = fieldValue(fields, 'accept')
  const chosen = await io.prepared?.lightest(route.siteId, digest, { own, accept })
  return chosen === undefined ? undefined : { entry: lighterEntry(entry, chosen), bytes: chosen.bytes }
}
