import type { PictureForm } from '../../core/page/pictures/widths.ts'
import type { StoredEntry } from '../store/response-store.ts'
import type { TransformPool } from './transform-pool.ts'
import type { GeneratedAssets, PictureRecipe } from './generated-assets.ts'
import { digest20 } from './digest.ts'
import { LARGEST_PICTURE, type Fetch } from './subresource-facts.ts'

/** Pictures that wait to be converted; with more, those not yet asked for are left until somebody asks. */
const MOST_WAITING = 5000

export interface PictureWish {
  readonly siteId: string
  readonly digest: string
  readonly recipe: PictureRecipe
  readonly width: number
  readonly form: PictureForm
  readonly fetch: Fetch
}

/** Converts pictures behind the visitors' backs: each width and form once, when it is first asked for or expected to be. */
export class Pictures {
  readonly #pool: TransformPool
  readonly #made: GeneratedAssets
  readonly #underWay = new Map<string, Promise<void>>()
  readonly #failed = new Set<string>()

  constructor(pool: TransformPool, made: GeneratedAssets) {
    this.#pool = pool
    this.#made = made
  }

  /** Pictures that wait or are being made, of a site. */
  waiting(siteId: string): number {
    let count = 0
    for (const id of this.#underWay.keys()) if (id.startsWith(`${siteId} `)) count++
    return count
  }

  /** Resolves when none waits any more. */
  async settled(): Promise<void> {
    while (this.#underWay.size > 0) await Promise.all(this.#underWay.values())
  }

  /** Make one unless it is there or under way. Resolves when it is there or cannot be made. */
  want(wish: PictureWish): Promise<void> {
    const { siteId, digest, width, form } = wish
    const id = `${siteId} ${digest} ${width} ${form}`
    const underWay = this.#underWay.get(id)
    if (underWay !== undefined) return underWay
    if (this.#failed.has(id) || this.#made.picture(siteId, digest, width, form) !== undefined) return Promise.resolve()
    if (this.#underWay.size >= MOST_WAITING) return Promise.resolve()
    const making = this.#make(wish)
      .catch(() => void this.#failed.add(id))
      .finally(() => this.#underWay.delete(id))
    this.#underWay.set(id, making)
    return making
  }

  async #make({ siteId, digest, recipe, width, form, fetch }: PictureWish): Promise<void> {
    const source = await fetch(recipe.address, LARGEST_PICTURE)
    // The origin has another picture there by now: pages made from now on name that one.
    if (source === undefined || digest20(source.bytes) !== recipe.source) throw new Error('The source has changed.')
    const { quality, lossless } = recipe
    await this.#makeQuickly({ siteId, digest, recipe, width, form }, source.bytes)
    const made = await this.#pool.picture({ bytes: source.bytes, form, width, quality, lossless })
    // What does not get smaller stays as it is.
    const smaller = made !== undefined && (made.length < source.bytes.length || width < Math.max(...recipe.widths))
    this.#made.putPicture(siteId, digest, {
      width,
      form,
      bytes: smaller ? Buffer.from(made) : source.bytes,
      type: smaller ? form : recipe.form,
    })
  }

  /** The best form takes seconds, and there are many pictures: until then, one that is there soon stands in. */
  async #makeQuickly(
    { siteId, digest, recipe, width, form }: Omit<PictureWish, 'fetch'>,
    bytes: Buffer,
  ): Promise<void> {
    const { quality, lossless, forms } = recipe
    if (form !== 'avif' || !forms.includes('webp') || this.#made.picture(siteId, digest, width, 'webp') !== undefined)
      return
    const made = await this.#pool.quickPicture({ bytes, width, quality, lossless })
    if (made !== undefined && made.length < bytes.length)
      this.#made.putPicture(siteId, digest, { width, form: 'webp', bytes: Buffer.from(made), type: 'webp' })
  }

  /** The best form that is there of those a browser takes, and whether there could be a better one. */
  best(
    siteId: string,
    digest: string,
    width: number,
    forms: readonly PictureForm[],
  ): { entry: StoredEntry | undefined; better: PictureForm | undefined } {
    for (const [index, form] of forms.entries()) {
      const entry = this.#made.picture(siteId, digest, width, form)
      if (entry !== undefined) return { entry, better: index === 0 ? undefined : forms[0] }
    }
    return { entry: undefined, better: forms[0] }
  }
}
