import type { DatabaseEngine } from '../../core/contracts/site-databases.ts'
import { MARIADB, POSTGRESQL } from '../../core/upkeep/sql-dialect.ts'

/**
 * For tests: content databases of made-up systems that nobody has tidied for years. Each of them says the same things in other words, and holds traps:
 * rows that look like what can go and must stay.
 */

/** A group that was planted: the table, and a condition by which its rows are told. */
export interface Planted {
  readonly kind: string
  readonly table: string
  readonly where: string
}

export interface NeglectedContent {
  readonly name: string
  readonly statements: readonly string[]
  readonly planted: readonly Planted[]
  /** Rows that must stay, whatever is proposed. */
  readonly traps: readonly Planted[]
  /** Addresses that visitors use. */
  readonly segments: readonly string[]
}

const WORDS =
  'tide quay rope deck wind gull harbour lantern swell mooring current crossing island timetable passenger ferry pilot berth slipway weather morning salt bread mist bell anchor buoy chart fog keel mast oar port sail shoal spar tiller wharf gannet plover heron seal kelp shingle dune reed marsh creek inlet skerry'.split(
    ' ',
  )

/** Numbers that come out the same each time (mulberry32, public domain). */
const numbers = (seed: number) => (): number => {
  seed = (seed + 0x6d2b79f5) | 0
  let t = Math.imul(seed ^ (seed >>> 15), 1 | seed)
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
  return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296
}

const prose = (random: () => number, words: number): string =>
  Array.from({ length: words }, () => WORDS[Math.floor(random() * WORDS.length)]!).join(' ')

/** An earlier state of a text: a few words were others. */
const earlier = (text: string, random: () => number): string =>
  text
    .split(' ')
    .map((word) => (random() < 0.04 ? WORDS[Math.floor(random() * WORDS.length)]! : word))
    .join(' ')

const hex = (random: () => number, length: number): string =>
  Array.from({ length }, () => '0123456789abcdef'[Math.floor(random() * 16)]).join('')

const DAY = 86_400_000

class Writer {
  readonly statements: string[] = []
  readonly #engine: DatabaseEngine
  readonly #now: number

  constructor(engine: DatabaseEngine, now: Date) {
    this.#engine = engine
    this.#now = now.getTime()
  }

  /** Types of both kinds of database by one name. */
  type(name: 'id' | 'text' | 'long' | 'time' | 'number' | 'truth'): string {
    const types = {
      postgresql: {
        id: 'bigint',
        text: 'varchar(190)',
        long: 'text',
        time: 'timestamptz',
        number: 'bigint',
        truth: 'boolean',
      },
      mariadb: {
        id: 'bigint',
        text: 'varchar(190)',
        long: 'text',
        time: 'datetime',
        number: 'bigint',
        truth: 'tinyint(1)',
      },
    }
    return types[this.#engine][name]
  }

  table(name: string, columns: string): void {
    this.statements.push(`create table ${name} (${columns})`)
  }

  ago(days: number): string {
    return new Date(this.#now - days * DAY).toISOString().slice(0, 19).replace('T', ' ')
  }

  seconds(days: number): number {
    return Math.floor((this.#now - days * DAY) / 1000)
  }

  insert(table: string, rows: readonly (string | number | boolean | null)[][]): void {
    const { text } = this.#engine === 'postgresql' ? POSTGRESQL : MARIADB
    const literal = (value: string | number | boolean | null): string => {
      if (value === null) return 'null'
      if (typeof value === 'boolean') return this.#engine === 'postgresql' ? String(value) : String(Number(value))
      return typeof value === 'number' ? String(value) : text(value)
    }
    for (let at = 0; at < rows.length; at += 400)
      this.statements.push(
        `insert into ${table} values ${rows
          .slice(at, at + 400)
          .map((row) => `(${row.map(literal).join(', ')})`)
          .join(', ')}`,
      )
  }
}

/** A system that keeps earlier states in a table of their own, and says the state of an article in words. */
const lantern = (engine: DatabaseEngine, now: Date, scale: number): NeglectedContent => {
  const w = new Writer(engine, now)
  const random = numbers(11)
  const t = (name: Parameters<Writer['type']>[0]): string => w.type(name)
  w.table('keepers', `keeper_no ${t('id')} primary key, called ${t('text')}, mail ${t('text')}`)
  w.table(
    'leaflets',
    `leaflet_no ${t('id')} primary key, handle ${t('text')} unique, heading ${t('text')}, matter ${t('long')}, stage ${t('text')}, keeper_no ${t('id')}, goes_live ${t('time')}, touched ${t('time')}`,
  )
  w.table(
    'leaflet_states',
    `state_no ${t('id')} primary key, leaflet_no ${t('id')}, matter ${t('long')}, written ${t('time')}`,
  )
  w.table(
    'remarks',
    `remark_no ${t('id')} primary key, leaflet_no ${t('id')}, who ${t('text')}, words ${t('long')}, verdict ${t('text')}, written ${t('time')}`,
  )
  w.table('short_lived', `label ${t('text')} primary key, contents ${t('long')}, expires_on ${t('number')}`)
  w.table('logins', `mark ${t('text')} primary key, keeper_no ${t('id')}, last_seen ${t('time')}`)
  w.insert(
    'keepers',
    Array.from({ length: 30 }, (_, n) => [n + 1, `Keeper ${n + 1}`, `keeper${n + 1}@orrin-sound.example`]),
  )
  const leaflets = 40 * scale
  const texts = Array.from({ length: leaflets }, () => prose(random, 90))
  const stageOf = (n: number): string => {
    if (n % 8 === 5) return 'binned'
    if (n % 8 === 6) return 'draft'
    return 'public'
  }
  w.insert(
    'leaflets',
    texts.map((text, n) => {
      // Every other draft is planned for tomorrow: it stays.
      const planned = stageOf(n) === 'draft' && n % 16 === 6
      return [
        n + 1,
        `leaflet-${n + 1}-${WORDS[n % WORDS.length]}`,
        `The ${WORDS[n % WORDS.length]} of ${n + 1}`,
        text,
        stageOf(n),
        (n % 30) + 1,
        stageOf(n) === 'public' ? w.ago(900 + (n % 700)) : planned ? w.ago(-1) : null,
        w.ago(stageOf(n) === 'public' ? 800 + (n % 900) : 250 + (n % 200)),
      ]
    }),
  )
  let state = 0
  w.insert(
    'leaflet_states',
    texts.flatMap((text, n) =>
      Array.from({ length: 12 }, (_, back) => [
        ++state,
        n + 1,
        back === 11 ? text : earlier(text, random),
        w.ago(420 - back * 30),
      ]),
    ),
  )
  let remark = 0
  w.insert(
    'remarks',
    Array.from({ length: 100 * scale }, (_, n) => [
      ++remark,
      // A few stand below leaflets that are gone.
      n % 25 === 3 ? leaflets + 500 + n : (n % leaflets) + 1,
      `Passenger ${n}`,
      prose(random, 25),
      n % 3 === 1 ? 'spam' : 'fine',
      w.ago(100 + (n % 500)),
    ]),
  )
  w.insert(
    'short_lived',
    Array.from({ length: 150 * scale }, (_, n) => [
      `weather_${n}`,
      prose(random, 12),
      n % 5 === 0 ? w.seconds(-5) : w.seconds(20 + (n % 300)),
    ]),
  )
  w.insert(
    'logins',
    Array.from({ length: 80 * scale }, (_, n) => [hex(random, 40), (n % 30) + 1, w.ago(n % 4 === 0 ? 2 : 200)]),
  )
  return {
    name: 'lantern',
    statements: w.statements,
    planted: [
      { kind: 'revisions', table: 'leaflet_states', where: `written < '${w.ago(200)}'` },
      { kind: 'trash', table: 'leaflets', where: "stage = 'binned'" },
      { kind: 'drafts', table: 'leaflets', where: "stage = 'draft' and goes_live is null" },
      { kind: 'spam', table: 'remarks', where: "verdict = 'spam'" },
      { kind: 'expired', table: 'short_lived', where: `expires_on < ${w.seconds(2)}` },
      { kind: 'sessions', table: 'logins', where: `last_seen < '${w.ago(100)}'` },
      { kind: 'orphans', table: 'remarks', where: `leaflet_no > ${leaflets}` },
    ],
    traps: [
      { kind: 'published long ago', table: 'leaflets', where: "stage = 'public'" },
      { kind: 'planned for tomorrow', table: 'leaflets', where: "stage = 'draft' and goes_live is not null" },
      { kind: 'still to come', table: 'short_lived', where: `expires_on > ${w.seconds(0)}` },
      { kind: 'people', table: 'keepers', where: '1 = 1' },
    ],
    segments: texts.flatMap((_, n) => (stageOf(n) === 'public' ? [`leaflet-${n + 1}-${WORDS[n % WORDS.length]}`] : [])),
  }
}

/** A system in which an article has no text of its own: it names the version that is in use. */
const tideline = (engine: DatabaseEngine, now: Date, scale: number): NeglectedContent => {
  const w = new Writer(engine, now)
  const random = numbers(23)
  const t = (name: Parameters<Writer['type']>[0]): string => w.type(name)
  w.table('conditions', `cond ${t('id')} primary key, wording ${t('text')}`)
  w.table(
    'entries',
    `id ${t('id')} primary key, slug ${t('text')}, in_use ${t('id')}, cond ${t('id')} references conditions (cond), made ${t('time')}, removed_at ${t('time')}`,
  )
  w.table('texts', `id ${t('id')} primary key, entry ${t('id')}, body ${t('long')}, made ${t('time')}`)
  w.table(
    'replies',
    `id ${t('id')} primary key, entry ${t('id')}, body ${t('long')}, is_junk ${t('truth')}, made ${t('time')}`,
  )
  w.table(
    'season_tickets',
    `id ${t('id')} primary key, holder ${t('text')}, expires_at ${t('time')}, price ${t('number')}`,
  )
  w.table('api_keys', `secret ${t('text')} primary key, made ${t('time')}`)
  w.table('page_cache', `id ${t('id')} primary key, name ${t('text')}, html ${t('long')}, expiry ${t('time')}`)
  w.insert('conditions', [
    [1, 'online'],
    [2, 'unfinished'],
    [3, 'discarded'],
  ])
  const entries = 45 * scale
  const texts = Array.from({ length: entries }, () => prose(random, 70))
  const conditionOf = (n: number): number => (n % 9 === 4 ? 3 : n % 9 === 7 ? 2 : 1)
  // The fourth of ten is in use: newer ones were tried and given up.
  const inUse = (n: number): number => n * 10 + 4
  w.insert(
    'entries',
    texts.map((_, n) => [
      n + 1,
      `entry-${n + 1}`,
      inUse(n),
      conditionOf(n),
      w.ago(500 + (n % 300)),
      n % 15 === 2 ? w.ago(90) : null,
    ]),
  )
  w.insert(
    'texts',
    texts.flatMap((text, n) =>
      Array.from({ length: 10 }, (_, v) => [n * 10 + v + 1, n + 1, earlier(text, random), w.ago(480 - v * 20)]),
    ),
  )
  w.insert(
    'replies',
    Array.from({ length: 90 * scale }, (_, n) => [
      n + 1,
      (n % entries) + 1,
      prose(random, 20),
      n % 4 === 2,
      w.ago(60 + (n % 400)),
    ]),
  )
  w.insert(
    'season_tickets',
    Array.from({ length: 60 }, (_, n) => [n + 1, `Passenger ${n}`, w.ago(n * 10 - 300), 450]),
  )
  w.insert(
    'api_keys',
    Array.from({ length: 12 }, (_, n) => [hex(random, 48), w.ago(900 + n)]),
  )
  w.insert(
    'page_cache',
    Array.from({ length: 120 * scale }, (_, n) => [
      n + 1,
      `page-${n}`,
      prose(random, 40),
      n % 6 === 0 ? w.ago(-3) : w.ago(30 + (n % 90)),
    ]),
  )
  return {
    name: 'tideline',
    statements: w.statements,
    planted: [
      { kind: 'revisions', table: 'texts', where: 'id % 10 in (1, 2, 3, 5, 6, 7, 8)' },
      { kind: 'trash', table: 'entries', where: 'removed_at is not null' },
      { kind: 'trash', table: 'entries', where: 'cond = 3' },
      { kind: 'drafts', table: 'entries', where: 'cond = 2' },
      { kind: 'spam', table: 'replies', where: engine === 'postgresql' ? 'is_junk' : 'is_junk = 1' },
      { kind: 'expired', table: 'page_cache', where: `expiry < '${w.ago(2)}'` },
    ],
    traps: [
      { kind: 'texts in use', table: 'texts', where: 'id % 10 = 4' },
      { kind: 'online', table: 'entries', where: 'cond = 1 and removed_at is null' },
      { kind: 'season tickets', table: 'season_tickets', where: '1 = 1' },
      { kind: 'keys of programs', table: 'api_keys', where: '1 = 1' },
    ],
    segments: texts.flatMap((_, n) => (conditionOf(n) === 1 && n % 15 !== 2 ? [`entry-${n + 1}`] : [])),
  }
}

/** A system with one table for everything, in another language, and numbers instead of moments. */
const knoten = (engine: DatabaseEngine, now: Date, scale: number): NeglectedContent => {
  const w = new Writer(engine, now)
  const random = numbers(37)
  const t = (name: Parameters<Writer['type']>[0]): string => w.type(name)
  w.table(
    'knoten',
    `nr ${t('id')} primary key, oberknoten ${t('id')}, art ${t('text')}, zustand ${t('text')}, kennung ${t('text')}, titel ${t('text')}, inhalt ${t('long')}, geaendert ${t('number')}`,
  )
  w.table('beilagen', `nr ${t('id')} primary key, ziel_art ${t('text')}, ziel ${t('id')}, wert ${t('long')}`)
  w.table('sitzungen', `zeichen ${t('text')} primary key, daten ${t('long')}, ablauf ${t('number')}`)
  const pages = 40 * scale
  const texts = Array.from({ length: pages }, () => prose(random, 80))
  const stateOf = (n: number): string => (n % 7 === 3 ? 'papierkorb' : n % 7 === 5 ? 'entwurf' : 'sichtbar')
  const rows: (string | number | null)[][] = texts.map((text, n) => [
    n + 1,
    // A page may stand below another one: that makes it no earlier state of it.
    n % 5 === 4 ? n : null,
    'seite',
    stateOf(n),
    `seite-${n + 1}`,
    `Seite ${n + 1}`,
    text,
    w.seconds(stateOf(n) === 'sichtbar' ? 900 + (n % 800) : 300 + (n % 100)),
  ])
  let nr = pages
  for (const [n, text] of texts.entries())
    for (let back = 0; back < 9; back++)
      rows.push([
        ++nr,
        n + 1,
        'fassung',
        'sichtbar',
        null,
        `Seite ${n + 1}`,
        earlier(text, random),
        w.seconds(400 - back * 40),
      ])
  w.insert('knoten', rows)
  w.insert(
    'beilagen',
    Array.from({ length: 80 * scale }, (_, n) => [
      n + 1,
      n % 2 === 0 ? 'knoten' : 'boot',
      n % 2 === 0 ? (n % pages) + 1 : 100_000 + n,
      prose(random, 8),
    ]),
  )
  w.insert(
    'sitzungen',
    Array.from({ length: 100 * scale }, (_, n) => [
      hex(random, 32),
      prose(random, 6),
      n % 5 === 0 ? w.seconds(-2) : w.seconds(40 + (n % 50)),
    ]),
  )
  return {
    name: 'knoten',
    statements: w.statements,
    planted: [
      { kind: 'revisions', table: 'knoten', where: `art = 'fassung' and geaendert < ${w.seconds(150)}` },
      { kind: 'trash', table: 'knoten', where: "zustand = 'papierkorb' and art = 'seite'" },
      { kind: 'drafts', table: 'knoten', where: "zustand = 'entwurf' and art = 'seite'" },
      { kind: 'sessions', table: 'sitzungen', where: `ablauf < ${w.seconds(2)}` },
    ],
    traps: [
      { kind: 'visible pages', table: 'knoten', where: "zustand = 'sichtbar' and art = 'seite'" },
      { kind: 'attachments of boats', table: 'beilagen', where: '1 = 1' },
      { kind: 'sessions that last', table: 'sitzungen', where: `ablauf > ${w.seconds(0)}` },
    ],
    segments: texts.flatMap((_, n) => (stateOf(n) === 'sichtbar' ? [`seite-${n + 1}`] : [])),
  }
}

/** Three neglected databases. @param scale 1: about 2,000 rows in all; 100: about 200,000 */
export const neglectedContents = (engine: DatabaseEngine, now: Date, scale: number): NeglectedContent[] =>
  [lantern, tideline, knoten].map((make) => make(engine, now, scale))
