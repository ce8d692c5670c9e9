import { setTimeout as pause } from 'node:timers/promises'
import { PGlite } from '@electric-sql/pglite'
import type { PageObjects } from './object-cache.ts'

/** The site's own database, with a count of the queries each page needs. */
export class SiteDatabase {
  readonly #db: PGlite

  constructor(db: PGlite) {
    this.#db = db
  }

  static async open(folder: string | undefined): Promise<SiteDatabase> {
    const db = folder === undefined ? new PGlite() : new PGlite(folder)
    await db.waitReady
    await db.exec(SCHEMA)
    return new SiteDatabase(db)
  }

  /**
   * Queries for one page; counted, because a neglected site makes many.
   * @param options.waitMs what each takes longer than here, as on modest hosting @param options.objects results that are kept
   */
  session(options: { readonly waitMs?: number; readonly objects?: PageObjects } = {}): Queries {
    return new Queries(this.#db, options.waitMs ?? 0, options.objects)
  }

  async isEmpty(): Promise<boolean> {
    const { rows } = await this.#db.query<{ count: number }>('select count(*)::int as count from settings')
    return rows[0]!.count === 0
  }

  /** The engine itself, for who speaks its protocol. */
  get engine(): PGlite {
    return this.#db
  }

  close(): Promise<void> {
    return this.#db.close()
  }
}

/** A row as a query gives it: of these columns, those that it names. Counts are called n. */
export type Row = Record<
  | 'about'
  | 'album'
  | 'amount'
  | 'author'
  | 'body'
  | 'caption'
  | 'id'
  | 'item'
  | 'leaves'
  | 'n'
  | 'name'
  | 'path'
  | 'person'
  | 'picture'
  | 'price_pence'
  | 'quay'
  | 'role'
  | 'route'
  | 'shown'
  | 'slug'
  | 'story'
  | 'title',
  string
>

export class Queries {
  readonly #db: PGlite
  readonly #waitMs: number
  readonly #objects: PageObjects | undefined
  /** Waits begun, ms: pauses come in whole ones. */
  #waited = 0
  /** What the page has asked for. */
  count = 0
  /** What the database was asked of it. */
  asked = 0

  constructor(db: PGlite, waitMs: number, objects: PageObjects | undefined) {
    this.#db = db
    this.#waitMs = waitMs
    this.#objects = objects
  }

  async all<T = Row>(sql: string, ...values: unknown[]): Promise<T[]> {
    this.count++
    const found = await this.#objects?.find(sql, values)
    if (found !== undefined) return found.rows as T[]
    this.asked++
    await this.#wait()
    const { rows } = await this.#db.query<T>(sql, values)
    if (sql.startsWith('select')) await this.#objects?.keep(sql, values, rows)
    else await this.#objects?.changed(sql)
    return rows
  }

  async #wait(): Promise<void> {
    const before = Math.floor(this.#waited)
    this.#waited += this.#waitMs
    const ms = Math.floor(this.#waited) - before
    if (ms > 0) await pause(ms)
  }

  async one<T = Row>(sql: string, ...values: unknown[]): Promise<T | undefined> {
    return (await this.all<T>(sql, ...values))[0]
  }

  /** One setting of the site, asked for one at a time as such sites do. */
  async setting(name: string): Promise<string> {
    return (await this.one<{ value: string }>('select value from settings where name = $1', name))?.value ?? ''
  }
}

const SCHEMA = `
alter table if exists options rename to settings;
create table if not exists settings (name text primary key, value text not null);
create table if not exists menu (id serial primary key, parent int, title text not null, path text not null);
create table if not exists quays (slug text primary key, name text not null, about text not null, picture text not null);
create table if not exists vessels (slug text primary key, name text not null, about text not null, picture text not null);
create table if not exists routes (slug text primary key, name text not null, about text not null);
create table if not exists sailings (id serial primary key, route text not null, quay text not null, leaves text not null);
create table if not exists notices (slug text primary key, title text not null, body text not null, quay text not null, changed timestamptz not null default now());
create table if not exists stories (slug text primary key, title text not null, body text not null, picture text not null, author text not null, changed timestamptz not null default now());
create table if not exists comments (id serial primary key, story text not null, name text not null, body text not null, at timestamptz not null default now());
create table if not exists items (slug text primary key, name text not null, about text not null, price_pence int not null, picture text not null);
create table if not exists albums (slug text primary key, name text not null);
create table if not exists photos (id serial primary key, album text not null, picture text not null, caption text not null);
create table if not exists people (name text primary key, role text not null, password text not null, shown text not null);
create table if not exists sessions (token text primary key, person text not null);
alter table comments add column if not exists state text not null default 'shown';
alter table sessions add column if not exists seen timestamptz not null default now();
create table if not exists story_revisions (id serial primary key, story text not null, body text not null, saved timestamptz not null);
create table if not exists weather_cache (name text primary key, value text not null, expires timestamptz not null);
create table if not exists baskets (token text not null, item text not null, amount int not null, primary key (token, item));
`
