import type { PageChange, PageKnowledge } from '../../contracts/page-changes.ts'
import type { RemedyId, Remedies } from '../../contracts/setup.ts'
import type { Edit } from '../document/edits.ts'
import type { PageDocument } from '../document/page-document.ts'
import type { PagePolicy } from '../document/policy.ts'
import type { FileShelf } from './file-facts.ts'

/** A picture that is to stand in the page itself. */
export interface InlinePicture {
  /** As the page names it, resolved. */
  readonly address: string
  /** One of the widths it is offered in. */
  readonly width: number
  /** Bytes of the picture. */
  readonly bytes: number
  /** The picture as a data address (RFC 2397). */
  readonly data: string
}

/** What remedies of reach page may know besides the page itself. */
export interface RewriteContext {
  readonly remedies: Remedies
  readonly device: 'phone' | 'laptop'
  /** Whether many files cost no more connections than one (HTTP/2). */
  readonly multiplexed: boolean
  readonly policy: PagePolicy
  /** How the page is shown to those who get this copy; undefined: it has not been measured. */
  readonly knowledge: PageKnowledge | undefined
  /** The same by device: a browser chooses among widths of pictures by itself. */
  readonly views: Readonly<Partial<Record<'phone' | 'laptop', PageKnowledge>>>
  /** The main picture, for those whose copy may hold it. */
  readonly inPage: InlinePicture | undefined
  readonly shelf: FileShelf
  /** Selectors that other pages of this kind use. */
  readonly alsoUsed: ReadonlySet<string>
}

/** What a remedy makes of a page: edits to its text, and what to say of them. */
export interface Rewrite {
  readonly edits: readonly Edit[]
  readonly changes: readonly PageChange[]
  /** Whether the page may be rendered before its visitor opens it. */
  readonly prerender?: 'allowed' | undefined
}

/** A remedy of reach page: document in, edits and list of changes out. */
export type PageRemedy = (page: PageDocument, context: RewriteContext) => Rewrite

/** Collects what a remedy does to a page. */
export class Work {
  readonly #remedy: RemedyId
  readonly #edits: Edit[] = []
  readonly #changes: PageChange[] = []

  constructor(remedy: RemedyId) {
    this.#remedy = remedy
  }

  change(
    item: string,
    sentence: string,
    edits: readonly Edit[],
    bytes: { before?: number | null; after?: number | null } = {},
  ): void {
    this.#edits.push(...edits)
    this.#changes.push({
      remedy: this.#remedy,
      kind: 'changed',
      item,
      sentence,
      bytesBefore: bytes.before ?? null,
      bytesAfter: bytes.after ?? null,
    })
  }

  /** Edits that belong to a change already told of. */
  edit(edits: readonly Edit[]): void {
    this.#edits.push(...edits)
  }

  left(item: string, sentence: string): void {
    this.#changes.push({
      remedy: this.#remedy,
      kind: 'left',
      item,
      sentence,
      bytesBefore: null,
      bytesAfter: null,
    })
  }

  done(): Rewrite {
    return { edits: this.#edits, changes: this.#changes }
  }
}
