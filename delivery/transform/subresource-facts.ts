import { createHash } from 'node:crypto'
import type { Remedies } from '../../core/contracts/setup.ts'
import { compileExceptions, type Exceptions } from '../../core/page/context/exceptions.ts'
import { MADE_FOLDER, madePath, type FileFacts, type FileFactsKind } from '../../core/page/context/file-facts.ts'
import type { NamedFile } from '../../core/page/transforms/named-files.ts'
import { offeredForms, offeredWidths } from '../../core/page/pictures/widths.ts'
import type { Rewriting } from '../request/routes.ts'
import type { Contents } from './page-tasks.ts'
import { digest20 } from './digest.ts'
import { wantedKinds } from './wanted-kinds.ts'
import type { TransformPool } from './transform-pool.ts'
import type { GeneratedAssets } from './generated-assets.ts'
import type { FactsMemory } from './facts-memory.ts'
import { RecalledFacts, type Recall } from './subresource-memo.ts'

/** Larger files are left as they are. */
const LARGEST_TEXT = 5_000_000
export const LARGEST_PICTURE = 30_000_000
/** Style sheets that import each other end somewhere. */
const DEEPEST_IMPORT = 5
/** Files worked on at a time for one page: the origin is modest, and visitors come first. */
const AT_ONCE = 6

/** Bytes of a file of the site, or of another host the owner named. */
export type Fetch = (address: string, largest: number) => Promise<{ bytes: Buffer; type: string } | undefined>

export interface SubresourceIo {
  readonly pool: TransformPool
  readonly made: GeneratedAssets
  readonly memory: FactsMemory
}

const isText = (bytes: Buffer): string | undefined => {
  const text = bytes.toString('utf8')
  // Bytes that are no UTF-8 would come out as others than went in.
  return Buffer.byteLength(text) === bytes.length && !text.includes('�') ? text : undefined
}

const sha384 = (bytes: Buffer | string): string => `sha384-${createHash('sha384').update(bytes).digest('base64')}`

/** What is seen of a site on the way, so that fonts keep the characters it is written with. */
interface Seen {
  readonly blocks: Set<number>
  readonly icons: Set<number>
}

/** Facts about the files of one channel of a site, under one set of remedies; made once for each content. */
export class SubresourceFacts {
  readonly #siteId: string
  readonly #remedies: Remedies
  readonly #io: SubresourceIo
  readonly #wanted: ReadonlySet<FileFactsKind>
  readonly #exceptions: Record<'minify' | 'fingerprint' | 'images' | 'fonts' | 'localCopies', Exceptions>
  readonly #prefix: string
  readonly #recalled: RecalledFacts
  readonly #seen: Seen = { blocks: new Set(), icons: new Set() }

  constructor(siteId: string, { remedies }: Pick<Rewriting, 'remedies'>, io: SubresourceIo) {
    this.#siteId = siteId
    this.#remedies = remedies
    this.#io = io
    this.#prefix = io.memory.newPrefix()
    this.#recalled = new RecalledFacts(io.memory)
    this.#wanted = wantedKinds(remedies)
    const of = (id: 'minify' | 'fingerprint' | 'images' | 'fonts' | 'localCopies'): Exceptions =>
      compileExceptions(remedies[id].exceptions)
    this.#exceptions = {
      minify: of('minify'),
      fingerprint: of('fingerprint'),
      images: of('images'),
      fonts: of('fonts'),
      localCopies: of('localCopies'),
    }
  }

  /** Facts about all files that a page names, and what of them is named by its style sheets. */
  async of(contents: Contents, fetch: Fetch, recall: Recall): Promise<Map<string, FileFacts>> {
    this.#see(contents)
    const files = contents.files.filter(({ kind }) => this.#wanted.has(kind))
    const facts = new Map<string, FileFacts>()
    const queue = [...files]
    // A font is cut to what is seen of the site so far; what was learned before more was seen is not recalled.
    const seen = `${this.#seen.blocks.size} ${this.#seen.icons.size}`
    const work = async (): Promise<void> => {
      for (let next = queue.shift(); next !== undefined; next = queue.shift()) {
        const file = next
        const learn = () => this.#facts(file, fetch, 0)
        const found = await this.#recalled
          .of(`${file.kind} ${file.address} ${seen}`, recall.unstored(file.address) ? recall.now : undefined, learn)
          .catch(() => undefined)
        if (found !== undefined) facts.set(next.address, found)
      }
    }
    await Promise.all(Array.from({ length: AT_ONCE }, work))
    return facts
  }

  /** Forget what was learned by address: the files may be others now. */
  forget(): void {
    this.#recalled.forget()
  }

  #see({ blocks, icons }: Pick<Contents, 'blocks' | 'icons'>): void {
    for (const block of blocks) this.#seen.blocks.add(block)
    for (const icon of icons) this.#seen.icons.add(icon)
  }

  #on(remedy: 'minify' | 'fingerprint' | 'images' | 'fonts' | 'localCopies', address: URL): boolean {
    return this.#remedies[remedy].enabled && this.#exceptions[remedy].file(address) === undefined
  }

  #named(kind: FileFactsKind, address: URL): boolean {
    const { fingerprint } = this.#remedies
    const wanted = {
      style: fingerprint.styles,
      script: fingerprint.scripts,
      font: fingerprint.fonts,
      image: fingerprint.images,
      other: false,
    }[kind]
    return wanted && this.#on('fingerprint', address)
  }

  async #facts({ address, kind }: NamedFile, fetch: Fetch, depth: number): Promise<FileFacts | undefined> {
    const largest = kind === 'image' ? LARGEST_PICTURE : LARGEST_TEXT
    const source = await fetch(address, largest)
    if (source === undefined || source.bytes.length === 0) return undefined
    const digest = digest20(source.bytes)
    if (kind === 'style') return this.#style(address, source.bytes, digest, fetch, depth)
    const seen = kind === 'font' ? [...this.#seen.blocks, ...this.#seen.icons].sort().join() : ''
    return this.#once(`${kind} ${address} ${digest} ${seen}`, () => {
      switch (kind) {
        case 'script':
          return this.#script(address, source.bytes)
        case 'image':
          return /svg/.test(source.type) ? this.#drawing(address, source.bytes) : this.#picture(address, source, digest)
        case 'font':
          return this.#font(address, source)
        default:
          return Promise.resolve(undefined)
      }
    })
  }

  #once(id: string, make: () => Promise<FileFacts | undefined>): Promise<FileFacts | undefined> {
    return this.#io.memory.made.of(`${this.#prefix} ${id}`, make)
  }

  /** A text under an address of its own, if any remedy had a part in it. */
  #madeText(
    address: string,
    kind: 'style' | 'script',
    before: Buffer,
    text: string,
    by: string[],
    parts: readonly FileFacts[] = [],
  ): FileFacts {
    const facts = { address, kind, bytes: before.length, text, parts }
    if (by.length === 0 && parts.length === 0) return facts
    const bytes = Buffer.from(text)
    const digest = digest20(bytes)
    this.#io.made.putFile(this.#siteId, digest, kind, bytes)
    const changed = !bytes.equals(before)
    return {
      ...facts,
      made: {
        path: madePath(this.#placeOf(address, by), digest),
        bytes: bytes.length,
        integrity: sha384(bytes),
        changed,
        by,
      },
    }
  }

  /** Path that a made file is named after; a copy of another host's file must not look like one of the site's own. */
  #placeOf(address: string, by: readonly string[]): string {
    const { pathname, host } = new URL(address)
    return by.includes('localCopies') ? `${MADE_FOLDER}${host.replace(':', '-')}${pathname}` : pathname
  }

  async #script(address: string, bytes: Buffer): Promise<FileFacts | undefined> {
    const text = isText(bytes)
    if (text === undefined) return undefined
    const url = new URL(address)
    const minify = this.#remedies.minify.scripts && this.#on('minify', url)
    const made = minify ? await this.#io.pool.script(text) : text
    const by = [...(made === text ? [] : ['minify']), ...(this.#named('script', url) ? ['fingerprint'] : [])]
    if (this.#remedies.localCopies.hosts.includes(url.host) && this.#on('localCopies', url)) by.push('localCopies')
    return this.#madeText(address, 'script', bytes, made, by)
  }

  async #style(
    address: string,
    bytes: Buffer,
    digest: string,
    fetch: Fetch,
    depth: number,
  ): Promise<FileFacts | undefined> {
    const text = isText(bytes)
    if (text === undefined || depth > DEEPEST_IMPORT) return undefined
    const { pool } = this.#io
    const contents = await pool.readSheet({ text, address })
    this.#see(contents)
    const paths = new Map<string, string>()
    const parts: FileFacts[] = []
    for (const file of contents.files.filter(({ kind }) => this.#wanted.has(kind))) {
      const facts = await this.#facts(file, fetch, depth + 1).catch(() => undefined)
      if (facts?.made === undefined) continue
      // A background keeps its size: only its form changes.
      paths.set(file.address, facts.made.path)
      parts.push(facts)
    }
    const url = new URL(address)
    const named = [...paths].map(([from, to]) => `${from} ${to}`).join()
    return this.#once(`style ${address} ${digest} ${digest20(named)}`, async () => {
      const minify = this.#remedies.minify.styles && this.#on('minify', url)
      const { hints } = this.#remedies
      const fontDisplay =
        hints.enabled && compileExceptions(hints.exceptions).file(url) === undefined ? hints.fontDisplay : 'as-it-is'
      const made = await pool.sheet({ text, address, minify, fontDisplay, paths })
      const by = [
        ...(made.did.minified ? ['minify'] : []),
        ...(made.did.fonts > 0 ? ['hints'] : []),
        ...(this.#named('style', url) ? ['fingerprint'] : []),
      ]
      return this.#madeText(
        address,
        'style',
        bytes,
        by.length === 0 && parts.length === 0 ? text : made.text,
        by,
        parts,
      )
    })
  }

  async #drawing(address: string, bytes: Buffer): Promise<FileFacts | undefined> {
    const url = new URL(address)
    const text = isText(bytes)
    const minify = text !== undefined && this.#remedies.minify.svg && this.#on('minify', url)
    const made = minify ? Buffer.from(await this.#io.pool.svg(text)) : bytes
    const by = [...(made.equals(bytes) ? [] : ['minify']), ...(this.#named('image', url) ? ['fingerprint'] : [])]
    return this.#kept(address, 'image', bytes, made, 'svg', by)
  }

  async #font(address: string, { bytes, type }: { bytes: Buffer; type: string }): Promise<FileFacts | undefined> {
    const url = new URL(address)
    const { text, icons: iconFonts, keep } = this.#remedies.fonts
    const { blocks, icons } = this.#seen
    const cut = this.#on('fonts', url)
      ? await this.#io.pool.font({ bytes, blocks: [...blocks], icons: [...icons], keep, text, iconFonts })
      : undefined
    // What Buffer.from gets from another process is not one of ours yet.
    const made = cut === undefined ? bytes : Buffer.from(cut)
    const by = [...(cut === undefined ? [] : ['fonts']), ...(this.#named('font', url) ? ['fingerprint'] : [])]
    return this.#kept(address, 'font', bytes, made, cut === undefined ? type : 'font', by)
  }

  #kept(
    address: string,
    kind: 'image' | 'font',
    before: Buffer,
    made: Buffer,
    type: string,
    by: string[],
  ): FileFacts | undefined {
    if (by.length === 0) return undefined
    const digest = digest20(made)
    this.#io.made.putFile(this.#siteId, digest, type, made)
    const path = madePath(new URL(address).pathname, digest)
    const changed = !made.equals(before)
    return {
      address,
      kind,
      bytes: before.length,
      made: { path, bytes: made.length, integrity: sha384(made), changed, by },
    }
  }

  async #picture(
    address: string,
    { bytes, type }: { bytes: Buffer; type: string },
    source: string,
  ): Promise<FileFacts | undefined> {
    const url = new URL(address)
    const { images } = this.#remedies
    const facts = this.#on('images', url) ? await this.#io.pool.pictureFacts(bytes) : undefined
    if (facts === undefined)
      return this.#named('image', url) ? this.#kept(address, 'image', bytes, bytes, type, ['fingerprint']) : undefined
    const widths = offeredWidths(facts.width, images)
    const recipe = {
      address,
      source,
      form: facts.form,
      forms: offeredForms(facts.form, images),
      // Backgrounds are shown as large as they are.
      widths: [...new Set([...widths, facts.width])],
      quality: images.quality,
      lossless: images.lossless === 'drawings' && (facts.form === 'png' || facts.form === 'gif'),
    }
    const digest = digest20(JSON.stringify(recipe))
    this.#io.made.putRecipe(this.#siteId, digest, recipe)
    const pathOf = (width: number): string => madePath(url.pathname, digest, `.w${width}`)
    return {
      address,
      kind: 'image',
      bytes: bytes.length,
      image: {
        width: facts.width,
        height: facts.height,
        widths: widths.map((width) => ({ width, path: pathOf(width) })),
      },
      made: {
        path: pathOf(facts.width),
        bytes: undefined,
        integrity: undefined,
        changed: true,
        by: ['images'],
      },
    }
  }
}
