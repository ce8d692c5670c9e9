import { boolean, index, integer, jsonb, pgTable, text, uniqueIndex } from 'drizzle-orm/pg-core'
import type { FilePlace, FileTrial } from '../../core/contracts/file-connections.ts'
import type {
  LibraryPicture,
  PicturePlan,
  PictureState,
  PictureSurvey,
  PictureTreatment,
  PlacedPicture,
  PlacingOrder,
} from '../../core/contracts/picture-library.ts'
import { instant, siteId } from './schema.ts'
import { secretText } from './secret-text.ts'

/** What the owner has decided about pictures. */
export const picturePlans = pgTable('picture_plans', {
  siteId: siteId().primaryKey(),
  plan: jsonb('plan').$type<PicturePlan>().notNull(),
})

/** How the media folder of a site is reached. */
export const mediaPlaces = pgTable('media_places', {
  siteId: siteId().primaryKey(),
  place: jsonb('place').$type<FilePlace>().notNull(),
  /** FileSecret as JSON; null: not kept. */
  secret: secretText('secret'),
  trial: jsonb('trial').$type<FileTrial>(),
})

/** Looks through the library. */
export const pictureSurveys = pgTable(
  'picture_surveys',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    result: jsonb('result').$type<NonNullable<PictureSurvey['result']>>(),
  },
  (table) => [index('picture_surveys_site').on(table.siteId, table.at)],
)

export const libraryPictures = pgTable(
  'library_pictures',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    path: text('path').notNull(),
    pages: jsonb('pages').$type<string[]>().notNull(),
    file: text('file'),
    /** SHA-256 of its bytes, hexadecimal; empty where it could not be read. */
    digest: text('digest').notNull(),
    /** What the server can be asked by whether it has changed (RFC 9110 §8.8). */
    validator: jsonb('validator').$type<{ etag?: string; lastModified?: string }>().notNull(),
    bytes: integer('bytes').notNull(),
    width: integer('width').notNull(),
    height: integer('height').notNull(),
    form: text('form').$type<NonNullable<LibraryPicture['form']>>(),
    shown: jsonb('shown').$type<LibraryPicture['shown']>().notNull(),
    state: text('state').$type<PictureState>().notNull(),
    reason: text('reason'),
    graphic: boolean('graphic'),
    variants: jsonb('variants').$type<LibraryPicture['variants']>().notNull(),
    treatment: text('treatment').$type<PictureTreatment>().notNull(),
    /** When it was looked at last with what came of it. */
    doneAt: instant('done_at'),
    placed: jsonb('placed').$type<PlacedPicture>(),
    /** The survey that saw it last. */
    seenBy: text('seen_by').notNull(),
  },
  (table) => [
    uniqueIndex('library_pictures_path').on(table.siteId, table.path),
    index('library_pictures_state').on(table.siteId, table.state),
  ],
)

/** Writing to the server of the site, and putting back. */
export const picturePlacings = pgTable('picture_placings', {
  id: text('id').primaryKey(),
  siteId: siteId(),
  jobId: text('job_id').notNull(),
  at: instant('at').notNull(),
  by: text('by').notNull(),
  order: jsonb('order').$type<PlacingOrder>().notNull(),
})
