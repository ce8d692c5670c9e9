import { LRUCache } from 'lru-cache'
import { z } from 'zod'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { cacheKey, keyPartition } from '../../core/cache/cache-key.ts'
import type { Fields } from '../../core/http/fields.ts'
import type { PictureForm } from '../../core/page/pictures/widths.ts'
import { seconds, type EpochMs } from '../../core/time.ts'
import type { NewEntry, ResponseStore, StoredEntry } from '../store/response-store.ts'

/** How a picture is made that somebody may ask for: kept, so that it can be made whenever that happens. */
export const PictureRecipe = z.object({
  address: z.string(),
  source: z.string().describe('Digest of the origin’s bytes'),
  form: z.enum(['avif', 'webp', 'jpeg', 'png', 'gif']),
  forms: z.array(z.enum(['avif', 'webp', 'jpeg', 'png', 'gif'])).describe('Smallest first; its own last'),
  widths: z.array(z.int()),
  quality: z.int(),
  lossless: z.boolean(),
})
export type PictureRecipe = z.infer<typeof PictureRecipe>

const TYPES: Record<string, string> = {
  style: 'text/css; charset=utf-8',
  script: 'text/javascript; charset=utf-8',
  frame: 'text/html; charset=utf-8',
  font: 'font/woff2',
  svg: 'image/svg+xml',
  recipe: 'application/json',
}

/** RFC 8246: what has its content in its name never changes under it. A year is the longest that caches commonly take seriously. */
const FOR_GOOD = 'public, max-age=31536000, immutable'

/** Bytes of recipes that are held; all of them are in the store. */
const MOST_RECIPE_BYTES = 8 * 1024 * 1024

/** Partitions of files made here begin so. */
const MADE = 'made:'

/** Whether a stored response is a file made here. */
export const isGeneratedPath = ({ key }: Pick<StoredEntry, 'key'>): boolean => keyPartition(key).startsWith(MADE)

/** Entries looked at before visitors' requests get their turn. */
const AT_A_TIME = 1000

/** Pictures of a site that are there in at least one form made here, each width once. */
export const picturesMade = async (siteId: string, store: Pick<ResponseStore, 'all'>): Promise<number> => {
  const found = new Set<string>()
  let looked = 0
  for (const { key } of store.all()) {
    if (++looked % AT_A_TIME === 0) await new Promise((resolve) => setImmediate(resolve))
    if (keyPartition(key) !== `${MADE}${siteId}`) continue
    const [, picture] = /\/([\w-]+\/\d+)\.(?:avif|webp|jpeg|png|gif)$/.exec(key) ?? []
    if (picture !== undefined) found.add(picture)
  }
  return found.size
}

/**
 * Files made here, by digest. They are kept in the store like all that is delivered, in a partition of their own that purges do not touch: pages in
 * browsers name them for as long as they are open. Live, trial and versions share them, since the name holds the content.
 */
export class GeneratedAssets {
  readonly #store: ResponseStore
  readonly #now: () => EpochMs
  readonly #unstored = new LRUCache<string, StoredEntry>({ max: 2000 })
  readonly #recipes = new LRUCache<string, PictureRecipe>({
    maxSize: MOST_RECIPE_BYTES,
    sizeCalculation: ({ address, widths }, id) => 300 + id.length + address.length + 8 * widths.length,
  })

  constructor(store: ResponseStore, now: () => EpochMs) {
    this.#store = store
    this.#now = now
  }

  #key(siteId: string, digest: string, part: string): CacheKey {
    return cacheKey(`${MADE}${siteId}`, 'https', 'made', `/${digest}/${part}`)
  }

  #put(key: CacheKey, type: string, bytes: Buffer, more: Fields = []): StoredEntry {
    return this.#store.put(this.#described(key, type, more), new Map([['identity', bytes]]))
  }

  /** What is said of a file made here. */
  #described(key: CacheKey, type: string, more: Fields): NewEntry {
    const now = this.#now()
    return {
      key,
      status: 200,
      fields: [['content-type', type], ['cache-control', FOR_GOOD], ['date', new Date(now).toUTCString()], ...more],
      requestTime: now,
      responseTime: now,
      correctedInitialAge: seconds(0),
      nominated: [],
      rewritten: true,
    }
  }

  /** What a file of which there is one form is stored under. */
  fileKey(siteId: string, digest: string): CacheKey {
    return this.#key(siteId, digest, 'file')
  }

  /** A file of which there is one form. */
  file(siteId: string, digest: string): StoredEntry | undefined {
    return this.#store.candidates(this.fileKey(siteId, digest))[0]
  }

  /** @param type media type, or the kind it follows from */
  putFile(siteId: string, digest: string, type: string, bytes: Buffer): StoredEntry {
    return this.file(siteId, digest) ?? this.#put(this.fileKey(siteId, digest), TYPES[type] ?? type, bytes)
  }

  picture(siteId: string, digest: string, width: number, form: PictureForm): StoredEntry | undefined {
    return this.#store.candidates(this.#key(siteId, digest, `${width}.${form}`))[0]
  }

  putPicture(
    siteId: string,
    digest: string,
    { width, form, bytes, type }: { width: number; form: PictureForm; bytes: Buffer; type: PictureForm },
  ): StoredEntry {
    // One address, several forms: caches on the way must keep them apart (RFC 9110 §12.5.5).
    return this.#put(this.#key(siteId, digest, `${width}.${form}`), `image/${type}`, bytes, [['vary', 'accept']])
  }

  /** A picture that is made elsewhere and held there, as it is sent. @param digest of its bytes */
  unstored(
    siteId: string,
    digest: string,
    picture: { width: number; form: PictureForm; bytes: Buffer; digest: string },
  ): StoredEntry {
    const { width, form, bytes } = picture
    const key = this.#key(siteId, digest, `${width}.${form}`)
    const name = `${key} ${picture.digest}`
    const known = this.#unstored.get(name)
    if (known !== undefined) return known
    const entry: StoredEntry = {
      ...this.#described(key, `image/${form}`, [['vary', 'accept']]),
      id: '',
      bodies: [{ coding: 'identity', bytes: bytes.length, digest: picture.digest }],
    }
    this.#unstored.set(name, entry)
    return entry
  }

  async recipe(siteId: string, digest: string): Promise<PictureRecipe | undefined> {
    const id = `${siteId} ${digest}`
    const known = this.#recipes.get(id)
    if (known !== undefined) return known
    const entry = this.#store.candidates(this.#key(siteId, digest, 'recipe'))[0]
    const bytes = entry === undefined ? undefined : await this.#store.body(entry, 'identity')
    if (bytes === undefined) return undefined
    const recipe = PictureRecipe.safeParse(JSON.parse(bytes.toString('utf8'))).data
    if (recipe !== undefined) this.#recipes.set(id, recipe)
    return recipe
  }

  putRecipe(siteId: string, digest: string, recipe: PictureRecipe): void {
    const id = `${siteId} ${digest}`
    if (this.#recipes.has(id)) return
    this.#recipes.set(id, recipe)
    const key = this.#key(siteId, digest, 'recipe')
    if (this.#store.candidates(key).length === 0) this.#put(key, TYPES['recipe']!, Buffer.from(JSON.stringify(recipe)))
  }

  bytes(entry: StoredEntry): Promise<Buffer | undefined> {
    return Promise.resolve(this.#store.body(entry, 'identity'))
  }
}
