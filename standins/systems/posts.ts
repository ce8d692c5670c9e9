/** One article, page or thing for sale. */
export interface Post {
  readonly id: number
  readonly slug: string
  title: string
  text: string
  readonly category: string
  readonly author: string
  /** Epoch ms; in the future: not shown before. */
  readonly publishedAt: number
  changedAt: number
  state: 'scheduled' | 'published' | 'trashed'
  readonly comments: { readonly by: string; readonly text: string; state: 'waiting' | 'approved' }[]
}

const TITLES = [
  'Fog on the sound',
  'New winter timetable',
  'The Ysolde is back',
  'Quay Six reopens',
  'A seal at Hollin quay',
  'Season tickets go on sale',
  'How ropes are made',
  'Night crossing to Brann',
  'Storm closes two quays',
  'The bell of Tarn light',
  'Low water in March',
  'Skipper Aune retires',
  'Painting the Marrow',
  'Breakfast on board',
  'Lost gloves of the year',
  'Thirty years of the Ysolde',
  'Where the ferries sleep',
  'A map of the sound',
  'Children go free',
  'Bread from Hollin',
  'The quay cat',
  'Ice at Tarn',
  'A new gangway',
  'Counting porpoises',
]
const CATEGORIES = ['notices', 'stories', 'boats']
const AUTHORS = ['aune', 'merrick']
const DAY_MS = 86_400_000

export const slugOf = (title: string): string =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')

export const makePost = (id: number, title: string, publishedAt: number, text?: string): Post => ({
  id,
  slug: slugOf(title),
  title,
  text: text ?? `${title}: what happened on the sound, in ${200 + id} words. `.repeat(8),
  category: CATEGORIES[id % CATEGORIES.length]!,
  author: AUTHORS[id % AUTHORS.length]!,
  publishedAt,
  changedAt: publishedAt,
  state: 'published',
  comments: [],
})

/** What a system begins with: a post every third day, the newest first by date. */
export const firstPosts = (now: number): Post[] =>
  TITLES.map((title, index) => makePost(index + 1, title, now - (index + 1) * 3 * DAY_MS))
