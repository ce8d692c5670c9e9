import type { PicturePlan } from '../../core/contracts/picture-library.ts'
import { isPictureFile, picturesOfPage, picturesOfSheet } from '../../core/pictures/named-pictures.ts'
import { FileFailure, type FileServer } from '../files/file-server.ts'
import { filesBelow } from '../files/files-below.ts'
import { askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { readSitemaps } from '../net/read-sitemaps.ts'

/** Pages that are read for the pictures they show; a library that they do not show is found in the media folder. */
const MOST_PAGES = 1500
const MOST_SHEETS = 60
const MOST_SITEMAPS = 20
const MOST_PICTURES = 20_000
/** Requests at a time: a weak host must not feel it. */
const AT_A_TIME = 4
/** Pages that are noted for each picture. */
const MOST_NOTED = 5
/** Where originals are kept that lighter files took the place of. */
export const ORIGINALS = 'zest-originals-'

/** A picture before it has been looked at. */
export interface NamedPicture {
  readonly pages: string[]
  /** Its name below the media folder. */
  file: string | null
}

export interface FoundPictures {
  /** By path and query on the site. */
  readonly pictures: Map<string, NamedPicture>
  readonly pages: number
  /** Where was looked, and what was not read and why. */
  readonly sources: string[]
}

type Told = (done: number, total: number, words: string) => Promise<void>

const textOf = async (site: AskedSite, path: string, type: RegExp): Promise<string | undefined> => {
  try {
    const { status, body, fields } = await askSite(site, path)
    return status === 200 && type.test(fields.get('content-type') ?? '') ? body.toString('utf8') : undefined
  } catch (error) {
    if (error instanceof OutsideFailure) return undefined
    throw error
  }
}

/** Collects pictures of the site’s own host. */
class Finder {
  readonly pictures = new Map<string, NamedPicture>()
  readonly #site: AskedSite
  readonly #host: string
  readonly sheets = new Set<string>()
  drawings = 0
  elsewhere = 0

  constructor(site: AskedSite) {
    this.#site = site
    this.#host = new URL(site.named).host
  }

  /** @param page that shows it; null: none is known */
  add(address: string, page: string | null): void {
    const url = new URL(address)
    if (url.host !== this.#host) return void this.elsewhere++
    if (/\.svgz?$/i.test(url.pathname)) return void this.drawings++
    const target = url.pathname + url.search
    const known = this.pictures.get(target)
    if (known === undefined && this.pictures.size >= MOST_PICTURES) return
    const picture = known ?? { pages: [], file: null }
    if (page !== null && picture.pages.length < MOST_NOTED && !picture.pages.includes(page)) picture.pages.push(page)
    this.pictures.set(target, picture)
  }

  async readPage(path: string): Promise<boolean> {
    const html = await textOf(this.#site, path, /html/i)
    if (html === undefined) return false
    const { pictures, sheets } = picturesOfPage(html, new URL(path, this.#site.named))
    for (const one of pictures) this.add(one, path)
    for (const one of sheets)
      if (new URL(one).host === this.#host && this.sheets.size < MOST_SHEETS) this.sheets.add(one)
    return true
  }

  async readSheet(address: string): Promise<void> {
    const { pathname, search } = new URL(address)
    const text = await textOf(this.#site, pathname + search, /css/i)
    for (const one of text === undefined ? [] : picturesOfSheet(text, new URL(address))) this.add(one, null)
  }
}

/** Pictures of the media folder, by their names below it. */
const picturesBelow = async (files: FileServer, told: (words: string) => Promise<void>): Promise<string[]> => {
  const { found } = await filesBelow(files, {
    most: MOST_PICTURES,
    wanted: (name, kind) => (kind === 'folder' ? !name.startsWith(ORIGINALS) : isPictureFile(name)),
    told: (folder) => told(`Looking into ${folder === '' ? 'the media folder' : folder}`),
  })
  return [...found.keys()]
}

/** Path on the site of a file below the media folder. */
export const pathOfFile = ({ mediaPath }: Pick<PicturePlan, 'mediaPath'>, file: string): string =>
  mediaPath + file.split('/').map(encodeURIComponent).join('/')

/** Name of the folder's file, as addresses may write it in several ways. */
const sameName = (path: string): string => {
  try {
    return decodeURIComponent(path.split('?', 1)[0] ?? '').normalize()
  } catch {
    return path
  }
}

const addFolder = async (
  finder: Finder,
  site: AskedSite,
  plan: PicturePlan,
  open: () => Promise<FileServer>,
  told: (words: string) => Promise<void>,
): Promise<string> => {
  let files: FileServer
  try {
    files = await open()
  } catch (error) {
    if (!(error instanceof FileFailure)) throw error
    return `The media folder was not read. ${error.message}`
  }
  try {
    const names = await picturesBelow(files, told)
    const byName = new Map([...finder.pictures.keys()].map((target) => [sameName(target), target]))
    for (const name of names) {
      const path = pathOfFile(plan, name)
      const known = byName.get(sameName(path))
      if (known === undefined) finder.add(new URL(path, site.named).href, null)
      const picture = finder.pictures.get(known ?? new URL(path, site.named).pathname)
      if (picture !== undefined) picture.file = name
    }
    return `The media folder holds ${names.length} ${names.length === 1 ? 'picture' : 'pictures'}.`
  } catch (error) {
    if (!(error instanceof FileFailure)) throw error
    return `The media folder was not read to its end. ${error.message}`
  } finally {
    await files.end()
  }
}

/**
 * The picture library of a site: what its pages and style sheets show, and what its media folder holds.
 * @param sample pages that are read whatever the sitemap says
 * @param open the media folder; undefined: not connected
 */
export const findPictures = async (
  site: AskedSite,
  sample: readonly string[],
  plan: PicturePlan,
  { open, told, signal }: { open: (() => Promise<FileServer>) | undefined; told: Told; signal: AbortSignal },
): Promise<FoundPictures> => {
  const finder = new Finder(site)
  await told(0, 1, 'Reading the sitemap')
  const { entries, broken } = await readSitemaps(site, undefined, { mostSitemaps: MOST_SITEMAPS, signal })
  const { host } = new URL(site.named)
  const listed = entries.flatMap(({ loc }) => {
    const url = new URL(loc)
    return url.host === host ? [url.pathname + url.search] : []
  })
  const all = [...new Set(['/', ...sample, ...listed])]
  const paths = all.slice(0, MOST_PAGES)
  let read = 0
  for (let at = 0; at < paths.length; at += AT_A_TIME) {
    signal.throwIfAborted()
    const some = paths.slice(at, at + AT_A_TIME)
    await told(at, paths.length, `Reading ${some[0] ?? ''}`)
    read += (await Promise.all(some.map((path) => finder.readPage(path)))).filter(Boolean).length
  }
  for (const sheet of finder.sheets) {
    signal.throwIfAborted()
    await finder.readSheet(sheet)
  }
  const sources = [
    `${read} of ${all.length} pages were read${all.length > paths.length ? `; no more than ${MOST_PAGES} are` : ''}.`,
    ...broken.map((line) => `Sitemap ${line}`),
    ...(finder.drawings === 0 ? [] : [`Drawings (SVG) are no matter of pixels: ${finder.drawings} were passed over.`]),
    ...(finder.elsewhere === 0
      ? []
      : [`Pictures of other hosts are not yours to change here: ${finder.elsewhere} were passed over.`]),
  ]
  if (open !== undefined)
    sources.push(await addFolder(finder, site, plan, open, (words) => told(paths.length, paths.length, words)))
  return { pictures: finder.pictures, pages: read, sources }
}
