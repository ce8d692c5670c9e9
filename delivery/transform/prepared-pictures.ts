import { readdir, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { LRUCache } from 'lru-cache'
import { takesForm, type PictureForm } from '../../core/page/pictures/widths.ts'
import { readPreparedName, type PreparedName } from '../../core/pictures/prepared-name.ts'

/** Lighter pictures that are held in memory, bytes. */
const MOST_BYTES = 48 * 1024 * 1024
/** A folder is named by the id of its site. */
const SITE_ID = /^[\w-]{1,64}$/

interface Prepared extends PreparedName {
  readonly file: string
  readonly bytes: number
}

/** A lighter picture that was chosen for a visitor. */
export interface PreparedChoice {
  readonly form: PictureForm
  readonly bytes: Buffer
}

/** How the store names what a body holds (store/entry-file.ts). */
const storeDigest = (source: string): string => Buffer.from(source, 'hex').toString('base64url').slice(0, 22)
/** How addresses of files made here name it: "z" and nineteen hexadecimal digits. */
const addressDigest = (source: string): string => `z${source.slice(0, 19)}`

/**
 * Lighter pictures that Upkeep has made, as files in a folder for each site. They are known by what their originals hold, so that one whose original has
 * changed is never sent. What there is stands in memory; asking for it takes no reading.
 */
export class PreparedPictures {
  readonly #folder: string
  readonly #sites = new Map<string, ReadonlyMap<string, readonly Prepared[]>>()
  readonly #bytes = new LRUCache<string, Buffer>({ maxSize: MOST_BYTES, sizeCalculation: (bytes) => bytes.length + 1 })

  constructor(folder: string) {
    this.#folder = folder
  }

  /** Read again what is there of a site. */
  async refresh(siteId: string): Promise<void> {
    if (!SITE_ID.test(siteId)) return
    const folder = join(this.#folder, siteId)
    const found = new Map<string, Prepared[]>()
    for (const file of await readdir(folder).catch(() => [])) {
      const name = readPreparedName(file)
      const size = name === undefined ? undefined : (await stat(join(folder, file)).catch(() => undefined))?.size
      if (name === undefined || size === undefined) continue
      for (const digest of [storeDigest(name.source), addressDigest(name.source)])
        found.set(digest, [...(found.get(digest) ?? []), { ...name, file, bytes: size }])
    }
    for (const forms of found.values()) forms.sort((a, b) => a.bytes - b.bytes)
    for (const key of this.#bytes.keys()) if (key.startsWith(`${siteId}/`)) this.#bytes.delete(key)
    if (found.size === 0) this.#sites.delete(siteId)
    else this.#sites.set(siteId, found)
  }

  /** Read what is there of all sites. */
  async refreshAll(): Promise<void> {
    for (const siteId of await readdir(this.#folder).catch(() => [])) await this.refresh(siteId)
  }

  /** Whether there is a lighter picture of an original. @param digest of its bytes, as the store or an address names it */
  has(siteId: string, digest: string): boolean {
    return this.#sites.get(siteId)?.has(digest) === true
  }

  /**
   * The lightest picture that a browser takes.
   * @param own form of the original, which every browser takes that asks for it
   * @param width of the only one that will do; undefined: whatever there is
   * @returns undefined when there is none, or it has gone from the disk
   */
  async lightest(
    siteId: string,
    digest: string,
    { own, accept, width }: { readonly own: PictureForm; readonly accept: string | undefined; readonly width?: number },
  ): Promise<PreparedChoice | undefined> {
    const chosen = this.#sites
      .get(siteId)
      ?.get(digest)
      ?.find((one) => (width === undefined || one.width === width) && (one.form === own || takesForm(accept, one.form)))
    if (chosen === undefined) return undefined
    const key = `${siteId}/${chosen.file}`
    const held = this.#bytes.get(key)
    if (held !== undefined) return { form: chosen.form, bytes: held }
    const bytes = await readFile(join(this.#folder, siteId, chosen.file)).catch(() => undefined)
    if (bytes === undefined) return undefined
    this.#bytes.set(key, bytes)
    return { form: chosen.form, bytes }
  }
}
