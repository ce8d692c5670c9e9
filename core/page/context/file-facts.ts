/** What is known of a file that a page names. */
export interface FileFacts {
  /** As the page names it, resolved; absolute. */
  readonly address: string
  readonly kind: FileFactsKind
  /** Bytes as the origin has them. */
  readonly bytes: number
  /** Text of styles and scripts, as it is to be sent: addresses inside written again, minified where asked. */
  readonly text?: string
  /** The file under an address of its own, once there is one. */
  readonly made?: MadeFact
  /** Pictures. */
  readonly image?: ImageFacts
  /** What a style sheet names and has addresses of its own. */
  readonly parts?: readonly FileFacts[]
}
export type FileFactsKind = 'style' | 'script' | 'image' | 'font' | 'other'

export interface MadeFact {
  readonly path: string
  /** undefined: as many as the browser's best form will have; not known before it is made. */
  readonly bytes: number | undefined
  /** Subresource Integrity value of the bytes under that path; undefined where there are several forms. */
  readonly integrity: string | undefined
  /** Whether the bytes are others than the origin's. */
  readonly changed: boolean
  /** Remedies that had a part in it, for the list of changes. */
  readonly by: readonly string[]
}

export interface ImageFacts {
  readonly width: number
  readonly height: number
  /** Smaller widths under addresses of their own, narrowest first, the widest last; pixels. */
  readonly widths: readonly { readonly width: number; readonly path: string }[]
}

/** A file that a rewrite brings about: combined, cut to what one page needs, or shown in a frame of it. */
export interface NewFile {
  readonly path: string
  readonly kind: keyof typeof EXTENSIONS
  readonly text: string
}

const EXTENSIONS = { style: 'css', script: 'js', frame: 'html' } as const

/** Paths of files that exist only here begin so. */
export const MADE_FOLDER = '/zest-made/'

/**
 * Name of a file under an address of its own: a digest before the extension (RFC 8246 §1). It begins with a letter that is no hexadecimal digit, so
 * that names which build tools have made are never taken for ours.
 * @param digest "z" and nineteen hexadecimal digits
 */
export const madePath = (path: string, digest: string, mark = ''): string => {
  const slash = path.lastIndexOf('/')
  const dot = path.lastIndexOf('.')
  const [stem, extension] = dot > slash + 1 ? [path.slice(0, dot), path.slice(dot)] : [path, '']
  return `${stem}${mark}.${digest}${extension}`
}

/** "z" and nineteen hexadecimal digits. */
const MADE = /^(.*?)(?:\.w\d+)?\.z[0-9a-f]{19}(\.[^./]*)?$/

/** The path of the origin's file behind one of ours; other paths as they are. */
export const originalPath = (path: string): string => {
  const match = MADE.exec(path)
  return match === null ? path : `${match[1]}${match[2] ?? ''}`
}

/** The digest in a path that was made here. */
export const madeDigest = (path: string): string | undefined => /\.(z[0-9a-f]{19})(?:\.[^./]*)?$/.exec(path)?.[1]

/** Facts by address, and the new files that come about on the way. */
export class FileShelf {
  readonly #facts: ReadonlyMap<string, FileFacts>
  readonly #new = new Map<string, FileFacts>()
  readonly files: NewFile[] = []
  readonly #digest: (text: string) => string

  /**
   * @param facts of what the page names; what its style sheets name can be found too, since a page may ask for it early
   * @param digest "z" and nineteen hexadecimal digits that stand for a text
   */
  constructor(facts: ReadonlyMap<string, FileFacts>, digest: (text: string) => string) {
    const withParts = new Map(facts)
    const addParts = ({ parts }: FileFacts): void => {
      for (const part of parts ?? []) {
        if (!withParts.has(part.address)) withParts.set(part.address, part)
        addParts(part)
      }
    }
    for (const one of facts.values()) addParts(one)
    this.#facts = withParts
    this.#digest = digest
  }

  find(address: URL | undefined): FileFacts | undefined {
    if (address === undefined) return undefined
    return this.#new.get(address.href) ?? this.#facts.get(address.href)
  }

  /** Keep a new text. @returns its path */
  add(name: string, kind: NewFile['kind'], text: string, page: URL): string {
    const path = `${MADE_FOLDER}${madePath(`${name}.${EXTENSIONS[kind]}`, this.#digest(text))}`
    const address = new URL(path, page).href
    if (!this.#new.has(address)) {
      this.files.push({ path, kind, text })
      this.#new.set(address, { address, kind: kind === 'frame' ? 'other' : kind, bytes: text.length, text })
    }
    return path
  }
}
