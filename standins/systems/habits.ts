/** How one made-up content system behaves; each habit is common practice among real ones. */
export interface Habits {
  readonly title: string
  /** Scheme and host it knows itself by: it sends every other name there. */
  readonly publicAddress?: string
  /** "flat": /title/ for everything; "sections": /news/title. */
  readonly addresses: 'flat' | 'sections'
  /** Who gets a session: those who sign in; or everybody, and then no page may be stored. */
  readonly sessions: 'signed-in' | 'everybody'
  /** How its editor saves: a form at the page's own address, or a call to an API address that names no page. */
  readonly saving: 'form' | 'api'
  /** How the second page of a list is named. */
  readonly numbered: 'path' | 'query'
  /** Whether its sitemap says when pages were changed; without dates it lists addresses only. */
  readonly sitemap: 'dated' | 'undated'
  /** Whether posts are published by work that any request sets going, at an address that pages name. */
  readonly scheduled: boolean
  /** Whether a signed-in visitor can put things into a basket. */
  readonly shop: boolean
}

/** Redirects to its public address, and its editor saves over an API that names no page. */
export const JOURNAL: Habits = {
  title: 'Orrin Sound Journal',
  publicAddress: 'http://journal.orrin-sound.example',
  addresses: 'sections',
  sessions: 'signed-in',
  saving: 'api',
  numbered: 'query',
  sitemap: 'dated',
  scheduled: false,
  shop: false,
}

/** Gives everybody a session, and forbids storing every page. */
export const CHANDLERY: Habits = {
  title: 'Quay Six Chandlery',
  addresses: 'sections',
  sessions: 'everybody',
  saving: 'form',
  numbered: 'query',
  sitemap: 'undated',
  scheduled: false,
  shop: true,
}

/** Flat addresses, scheduled posts, numbered pages and archives. */
export const NOTICES: Habits = {
  title: 'Notices of the Sound',
  addresses: 'flat',
  sessions: 'signed-in',
  saving: 'api',
  numbered: 'path',
  sitemap: 'undated',
  scheduled: true,
  shop: false,
}
