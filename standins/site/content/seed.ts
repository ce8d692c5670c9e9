import type { Queries, SiteDatabase } from './database.ts'

const QUAYS = [
  'Orrin Head',
  'Saltmarsh',
  'Gannet Rock',
  'Mellow Bay',
  'Skerry Point',
  'Tarn Harbour',
  'Whitestrand',
  'Kelp Landing',
  'Old Pier',
]
const VESSELS = ['Sound Lass', 'Grey Plover', 'Evening Tide', 'Little Skua']
const ROUTES = [
  'North Sound',
  'South Sound',
  'Island Ring',
  'Evening Boat',
  'Cargo and Car',
  'Winter Line',
  'Bird Cruise',
  'School Boat',
]
const STORIES = [
  'A morning among the seals',
  'Nine quays in one day',
  'Where the plovers winter',
  'The pilot who painted',
  'Fog over Gannet Rock',
  'A bicycle on every deck',
  'Bread from Mellow Bay',
  'The lamp at Skerry Point',
  'Crossing with a piano',
  'What the tide leaves',
  'Learning the ropes',
  'A school on the water',
  'The longest evening',
  'Storm lanterns',
  'Kelp and its harvest',
  'A walk from Old Pier',
  'Letters by ferry',
  'Counting gannets',
]
const NOTICES = [
  'Later first sailing',
  'Works on the slipway',
  'Extra boats for the market',
  'Strong wind expected',
  'Lift out of order',
  'New ticket desk hours',
  'Dogs on the upper deck',
  'Change of berth',
  'Low tide timetable',
  'Lost property moved',
  'Car deck full on Friday',
  'Engine check',
  'Evening boat cancelled',
  'Quiet coach trial',
  'Fog delays',
  'Summer timetable begins',
]
const ITEMS = [
  'Day ticket',
  'Island ring pass',
  'Ten-trip card',
  'Season ticket',
  'Family ticket',
  'Bicycle ticket',
  'Deck blanket',
  'Tide table',
  'Enamel mug',
  'Sound chart',
]
const ALBUMS = ['Winter light', 'Boats at work', 'Seabirds', 'Quayside faces', 'Storms', 'From the deck']
const WORDS =
  'tide quay rope deck wind gull harbour lantern swell mooring current crossing island timetable passenger ferry pilot berth slipway weather morning salt bread mist bell'.split(
    ' ',
  )

export const slugOf = (name: string): string => name.toLowerCase().replaceAll(/[^a-z0-9]+/g, '-')

/** Made-up prose, the same for the same seed. */
export const prose = (seed: number, sentences: number): string =>
  Array.from({ length: sentences }, (_, s) => {
    const words = Array.from(
      { length: 9 + ((seed + s * 5) % 8) },
      (_unused, w) => WORDS[(seed * 7 + s * 11 + w * (3 + (seed % 4))) % WORDS.length]!,
    )
    words[0] = words[0]![0]!.toUpperCase() + words[0]!.slice(1)
    return `${words.join(w(seed + s))}.`
  }).join(' ')

const w = (n: number): string => [' ', ' and the ', ' '][n % 3]!

/** Pictures by name and the width they are made in. */
export const PICTURES: readonly { name: string; width: number; height: number; seed: number }[] = [
  ...[1, 2, 3].map((n) => ({ name: `hero-${n}`, width: 2400, height: 1350, seed: n })),
  ...QUAYS.map((name, i) => ({ name: `quay-${slugOf(name)}`, width: 1000, height: 667, seed: 10 + i })),
  ...VESSELS.map((name, i) => ({ name: `vessel-${slugOf(name)}`, width: 1000, height: 667, seed: 30 + i })),
  ...STORIES.map((name, i) => ({ name: `story-${slugOf(name)}`, width: 1000, height: 667, seed: 50 + i })),
  ...ITEMS.map((name, i) => ({ name: `item-${slugOf(name)}`, width: 800, height: 800, seed: 80 + i })),
  ...ALBUMS.flatMap((name, a) =>
    Array.from({ length: 6 }, (_, i) => ({
      name: `photo-${slugOf(name)}-${i + 1}`,
      width: 1000,
      height: 667,
      seed: 100 + a * 10 + i,
    })),
  ),
]

const SETTINGS: Record<string, string> = {
  site_name: 'Orrin Sound Ferries',
  tagline: 'Nine quays, four boats, one sound',
  phone: '00 000 0000',
  address: 'Old Pier, Orrin Sound',
  theme: 'harbour',
  posts_per_page: '12',
  show_weather: '1',
  weather: 'Wind 4, sea slight',
  footer_note: 'All sailings subject to wind and tide.',
  copyright: 'Orrin Sound Ferries',
  currency: '£',
  language: 'en-GB',
  map_zoom: '9',
  comments_open: '1',
  slider_speed: '6000',
  date_format: 'D MMM',
}

/** Settings and the menu. */
const seedFrame = async (db: Queries): Promise<void> => {
  for (const [name, value] of Object.entries(SETTINGS))
    await db.all('insert into settings values ($1, $2)', name, value)
  const menu = ['Timetables', 'Quays', 'Notices', 'Stories', 'Shop', 'Gallery', 'Search']
  for (const title of menu)
    await db.all('insert into menu (parent, title, path) values (null, $1, $2)', title, `/${slugOf(title)}`)
}

/** Quays, vessels, and when they sail. */
const seedSailings = async (db: Queries): Promise<void> => {
  for (const [i, name] of QUAYS.entries())
    await db.all('insert into quays values ($1, $2, $3, $4)', slugOf(name), name, prose(i, 6), `quay-${slugOf(name)}`)
  for (const [i, name] of VESSELS.entries())
    await db.all(
      'insert into vessels values ($1, $2, $3, $4)',
      slugOf(name),
      name,
      prose(i + 3, 4),
      `vessel-${slugOf(name)}`,
    )
  for (const [r, name] of ROUTES.entries()) {
    await db.all('insert into routes values ($1, $2, $3)', slugOf(name), name, prose(r + 20, 4))
    for (const [q, quay] of QUAYS.entries())
      for (let hour = 6; hour < 21; hour += 3)
        await db.all(
          'insert into sailings (route, quay, leaves) values ($1, $2, $3)',
          slugOf(name),
          slugOf(quay),
          `${String(hour + (r % 2)).padStart(2, '0')}:${String((q * 7 + r * 3) % 60).padStart(2, '0')}`,
        )
  }
}

/** Notices, and stories with what passengers wrote below them. */
const seedReading = async (db: Queries): Promise<void> => {
  for (const [i, title] of NOTICES.entries())
    await db.all(
      'insert into notices (slug, title, body, quay) values ($1, $2, $3, $4)',
      slugOf(title),
      title,
      prose(i + 40, 5),
      slugOf(QUAYS[i % 9]!),
    )
  for (const [i, title] of STORIES.entries()) {
    await db.all(
      'insert into stories (slug, title, body, picture, author) values ($1, $2, $3, $4, $5)',
      slugOf(title),
      title,
      prose(i + 60, 28),
      `story-${slugOf(title)}`,
      ['Deckhand', 'Harbour office', 'A passenger'][i % 3],
    )
    for (let c = 0; c < 1 + (i % 4); c++)
      await db.all(
        'insert into comments (story, name, body) values ($1, $2, $3)',
        slugOf(title),
        `Passenger ${c + 1}`,
        prose(i + c + 90, 2),
      )
  }
}

/** What the shop sells, the gallery shows, and who may sign in. */
const seedShop = async (db: Queries): Promise<void> => {
  for (const [i, name] of ITEMS.entries())
    await db.all(
      'insert into items values ($1, $2, $3, $4, $5)',
      slugOf(name),
      name,
      prose(i + 120, 5),
      450 + i * 325,
      `item-${slugOf(name)}`,
    )
  for (const [a, name] of ALBUMS.entries()) {
    await db.all('insert into albums values ($1, $2)', slugOf(name), name)
    for (let i = 1; i <= 6; i++)
      await db.all(
        'insert into photos (album, picture, caption) values ($1, $2, $3)',
        slugOf(name),
        `photo-${slugOf(name)}-${i}`,
        prose(a + i, 1),
      )
  }
  await db.all(
    "insert into people values ('editor', 'editor', 'tideline', 'The editor'), ('rider', 'holder', 'season', 'A season-ticket holder'), ('second', 'holder', 'season', 'Another season-ticket holder')",
  )
}

const DAY_MS = 86_400_000
const ago = (days: number): string => new Date(Date.now() - days * DAY_MS).toISOString()

/** What years without upkeep leave behind: an earlier state of a story for each time it was saved, junk among the comments, and records whose time is over. */
const seedNeglect = async (db: Queries): Promise<void> => {
  for (const [i, title] of STORIES.entries()) {
    const sentences = prose(i + 60, 28).split('. ')
    const saves = 40 + (i % 5) * 10
    const bodies = Array.from({ length: saves }, (_, s) =>
      sentences.filter((_sentence, n) => n % saves !== s).join('. '),
    )
    await db.all(
      'insert into story_revisions (story, body, saved) select $1, * from unnest($2::text[], $3::timestamptz[])',
      slugOf(title),
      bodies,
      bodies.map((_, s) => ago(700 - s * (600 / saves))),
    )
  }
  const junk = Array.from({ length: 900 }, (_, n) => n)
  await db.all(
    "insert into comments (story, name, body, state, at) select *, 'spam' , $4::timestamptz from unnest($1::text[], $2::text[], $3::text[])",
    junk.map((n) => slugOf(STORIES[n % STORIES.length]!)),
    junk.map((n) => `Bargain ${n}`),
    junk.map((n) => `Cheap ${prose(n, 1)}`),
    ago(200),
  )
  const records = Array.from({ length: 1500 }, (_, n) => n)
  await db.all(
    'insert into weather_cache select * from unnest($1::text[], $2::text[], $3::timestamptz[])',
    records.map((n) => `forecast-${n}`),
    records.map(
      (n) => `Wind ${n % 9}, sea ${['slight', 'moderate', 'rough'][n % 3]}, seen at ${n % 24} o'clock on day ${n}`,
    ),
    records.map((n) => ago(n % 50 === 0 ? -10 : 20 + (n % 300))),
  )
  const sessions = Array.from({ length: 400 }, (_, n) => n)
  await db.all(
    "insert into sessions select md5('visit ' || n), 'rider', seen from unnest($1::int[], $2::timestamptz[]) as s (n, seen)",
    sessions,
    sessions.map((n) => ago(90 + n)),
  )
}

/** Fill an empty database with the ferry company. */
export const seed = async (database: SiteDatabase): Promise<void> => {
  const db = database.session()
  for (const part of [seedFrame, seedSailings, seedReading, seedShop, seedNeglect]) await part(db)
}
