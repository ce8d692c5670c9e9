import { PGlite } from '@electric-sql/pglite'

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

  /** Queries for one page; counted, because a neglected site makes many. */
  session(): Queries {
    return new Queries(this.#db)
  }

  async isEmpty(): Promise<boolean> {
    const { rows } = await this.#db.query<{ count: number }>('select count(*)::int as count from settings')
    return rows[0]!.count === 0
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
  count = 0

  constructor(db: PGlite) {
    this.#db = db
  }

  async all<T = Row>(sql: string, ...values: unknown[]): Promise<T[]> {
    this.count++
    return (await this.#db.query<T>(sql, values)).rows
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
create table if not exists baskets (token text not null, item text not null, amount int not null, primary key (token, item));
`
