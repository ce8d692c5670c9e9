import { createHash, timingSafeEqual } from 'node:crypto'
import type { ObjectsConfig, ObjectsSite } from '../../core/contracts/objects.ts'
import type { OutsideValues } from './outside-values.ts'
import { SiteObjects } from './site-objects.ts'

const digestOf = (password: Uint8Array): Buffer => createHash('sha256').update(password).digest()

interface Known {
  readonly site: ObjectsSite
  readonly objects: SiteObjects
}

/** All sites that have an object cache; each sees its own keys only. */
export class ObjectSites {
  readonly #now: () => number
  readonly #sites = new Map<string, Known>()
  /** By the digest of the password. Passwords are random and long, so that one digest is one site. */
  #byDigest = new Map<string, Known>()

  readonly #outsideOf: ((site: SiteObjects) => OutsideValues) | undefined

  /** @param outsideOf where values are kept in another server */
  constructor(now: () => number, outsideOf?: (site: SiteObjects) => OutsideValues) {
    this.#now = now
    this.#outsideOf = outsideOf
  }

  #newSite(site: ObjectsSite): SiteObjects {
    const objects = new SiteObjects(site, this.#now)
    if (this.#outsideOf !== undefined) objects.keepOutside(this.#outsideOf(objects))
    return objects
  }

  /** @returns sites whose clients are no longer let in: theirs are switched off, or have another password */
  configure({ sites }: ObjectsConfig): SiteObjects[] {
    const ended: SiteObjects[] = []
    const wanted = new Map(sites.filter(({ enabled }) => enabled).map((site) => [site.siteId, site]))
    for (const [siteId, { objects }] of this.#sites)
      if (!wanted.has(siteId)) {
        ended.push(objects)
        objects.outside?.end()
        this.#sites.delete(siteId)
      }
    for (const [siteId, site] of wanted) {
      const known = this.#sites.get(siteId)
      const objects = known?.objects ?? this.#newSite(site)
      if (known !== undefined) {
        objects.configure(site)
        if (known.site.passwordDigest !== site.passwordDigest) ended.push(objects)
      }
      this.#sites.set(siteId, { site, objects })
    }
    this.#byDigest = new Map([...this.#sites.values()].map((known) => [known.site.passwordDigest, known]))
    return ended
  }

  get(siteId: string): SiteObjects | undefined {
    return this.#sites.get(siteId)?.objects
  }

  *[Symbol.iterator](): Iterator<SiteObjects> {
    for (const { objects } of this.#sites.values()) yield objects
  }

  /** @param name undefined: clients that know of passwords only; that of the site names it */
  authenticate(name: string | undefined, password: Uint8Array): SiteObjects | undefined {
    const digest = digestOf(password)
    const known = this.#byDigest.get(digest.toString('hex'))
    if (known === undefined) {
      for (const { site, objects } of this.#sites.values()) if (site.name === name) objects.wrongPasswords++
      return undefined
    }
    const isRight = timingSafeEqual(digest, Buffer.from(known.site.passwordDigest, 'hex'))
    return isRight && (name === undefined || name === known.site.name) ? known.objects : undefined
  }

  /** Let go what has run out. */
  sweep(): void {
    for (const { objects } of this.#sites.values()) objects.keys.sweep()
  }
}
