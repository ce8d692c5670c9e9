import { z } from 'zod'
import { and, asc, count, desc, eq, ilike, isNotNull, sql, sum, type SQL } from 'drizzle-orm'
import {
  PictureState,
  type LibraryPicture,
  type MonthOfPictures,
  type PictureLibrary,
  type PicturePage,
  type PictureSurvey,
  type PictureTreatment,
} from '../../core/contracts/picture-library.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { libraryPictures, pictureSurveys } from '../db/pictures-schema.ts'
import { jobs } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { fileConnectionOf, type HasFileAccess } from '../files/file-connections.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { trendOf } from '../measuring/trend.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { picturePlanOf } from './picture-plan.ts'
import { removePrepared, tellDelivery, type HasPicturesFolder } from './prepared-folder.ts'

type Row = typeof libraryPictures.$inferSelect

/** Which pictures are listed, as an address says it. */
export const PictureQuery = z.object({
  state: PictureState.optional(),
  search: z.string().max(200).optional(),
  sort: z.enum(['bytes', 'saving', 'path']).default('saving'),
  offset: z.coerce.number().int().min(0).max(1_000_000).default(0),
})
export type PictureQuery = z.infer<typeof PictureQuery>

const PAGE = 50
const LARGEST = 5
const MONTHS = 24

export const toPicture = ({
  siteId: _site,
  digest: _digest,
  validator: _validator,
  seenBy: _seenBy,
  doneAt,
  ...row
}: Row): LibraryPicture => ({ ...row, doneAt: doneAt?.toISOString() ?? null })

/** Bytes of the lightest picture that was made. */
const LIGHTEST = sql<number>`(${libraryPictures.variants}->0->>'bytes')::int`
const SAVING = sql<number>`case when ${libraryPictures.state} = 'lighter' then ${libraryPictures.bytes} - ${LIGHTEST} else 0 end`
const ofSite = (siteId: string): SQL => eq(libraryPictures.siteId, siteId)
const isLighter = (siteId: string): SQL | undefined => and(ofSite(siteId), eq(libraryPictures.state, 'lighter'))

const surveyOf = async (db: Database, siteId: string): Promise<PictureSurvey | null> => {
  const [row] = await db
    .select({ at: pictureSurveys.at, result: pictureSurveys.result, state: jobs.state, error: jobs.error })
    .from(pictureSurveys)
    .innerJoin(jobs, eq(jobs.id, pictureSurveys.jobId))
    .where(eq(pictureSurveys.siteId, siteId))
    .orderBy(desc(pictureSurveys.at))
    .limit(1)
  return row === undefined ? null : { ...row, at: row.at.toISOString() }
}

/** Main content of the sample’s first page as its first visitor, by month: the last of each that was measured. */
const measuredByMonth = async (db: Database, { id, sample, visitors }: Site): Promise<Map<string, number>> => {
  const [page, visitor] = [sample[0], visitors[0]]
  if (page === undefined || visitor === undefined) return new Map()
  const points = await trendOf(db, id, page.id, visitor.id)
  return new Map(
    points.flatMap(({ at, side, medians }) =>
      side === 'live' && medians.lcpMs !== null ? [[at.slice(0, 7), medians.lcpMs] as const] : [],
    ),
  )
}

const monthsOf = async (db: Database, site: Site): Promise<MonthOfPictures[]> => {
  const month = sql<string>`to_char(${libraryPictures.doneAt} at time zone 'UTC', 'YYYY-MM')`
  const [rows, measured] = await Promise.all([
    db
      .select({ month, pictures: count(), before: sum(libraryPictures.bytes), after: sql<string>`sum(${LIGHTEST})` })
      .from(libraryPictures)
      .where(isLighter(site.id))
      .groupBy(month)
      .orderBy(desc(month))
      .limit(MONTHS),
    measuredByMonth(db, site),
  ])
  return rows.map((row) => ({
    ...row,
    before: Number(row.before),
    after: Number(row.after),
    msMainContent: measured.get(row.month) ?? null,
  }))
}

const delivers = ({ remedies: { images } }: Setup): boolean => images.enabled && images.prepared

const deliveredOf = async (needed: HasDatabase, siteId: string): Promise<PictureLibrary['delivered']> => {
  if (delivers((await liveSetup(needed.db, siteId)).setup)) return 'live'
  return delivers((await getTrial(needed, siteId)).setup) ? 'trial' : 'off'
}

/** The picture library of a site in figures. @throws AppError NOT_FOUND */
export const pictureLibrary = async (
  needed: HasDatabase & HasFileAccess & HasAddresses,
  siteId: string,
): Promise<PictureLibrary> => {
  const { db } = needed
  const site = await getSite(needed, siteId)
  const states = await db
    .select({ state: libraryPictures.state, pictures: count(), bytes: sum(libraryPictures.bytes) })
    .from(libraryPictures)
    .where(ofSite(siteId))
    .groupBy(libraryPictures.state)
  const forms = await db
    .select({ form: libraryPictures.form, pictures: count(), bytes: sum(libraryPictures.bytes) })
    .from(libraryPictures)
    .where(ofSite(siteId))
    .groupBy(libraryPictures.form)
    .orderBy(desc(sum(libraryPictures.bytes)))
  const [lighter] = await db
    .select({ before: sum(libraryPictures.bytes), after: sql<string | null>`sum(${LIGHTEST})` })
    .from(libraryPictures)
    .where(isLighter(siteId))
  const [placed] = await db
    .select({ pictures: count() })
    .from(libraryPictures)
    .where(and(ofSite(siteId), isNotNull(libraryPictures.placed)))
  const largest = await db
    .select()
    .from(libraryPictures)
    .where(ofSite(siteId))
    .orderBy(desc(libraryPictures.bytes))
    .limit(LARGEST)
  return {
    plan: await picturePlanOf(db, siteId),
    place: await fileConnectionOf(needed, siteId, 'media'),
    survey: await surveyOf(db, siteId),
    counts: Object.fromEntries(
      PictureState.options.map((state) => [state, states.find((one) => one.state === state)?.pictures ?? 0]),
    ) as PictureLibrary['counts'],
    bytes: states.reduce((total, { bytes }) => total + Number(bytes ?? 0), 0),
    largest: largest.map(toPicture),
    forms: forms.map(({ bytes, ...rest }) => ({ ...rest, bytes: Number(bytes ?? 0) })),
    lighter: { before: Number(lighter?.before ?? 0), after: Number(lighter?.after ?? 0) },
    placed: placed?.pictures ?? 0,
    delivered: await deliveredOf(needed, siteId),
    months: await monthsOf(db, site),
  }
}

const ORDERS = {
  bytes: desc(libraryPictures.bytes),
  saving: desc(SAVING),
  path: asc(libraryPictures.path),
} as const

/** A pattern in which nothing but what stands there matches. */
const literal = (text: string): string => `%${text.replaceAll(/[\\%_]/g, String.raw`\$&`)}%`

/** Pictures of a site, fifty at a time. @throws AppError NOT_FOUND */
export const listPictures = async (
  needed: HasDatabase & HasAddresses,
  siteId: string,
  { state, search, sort, offset }: PictureQuery,
): Promise<PicturePage> => {
  await getSite(needed, siteId)
  const wanted = and(
    ofSite(siteId),
    state === undefined ? undefined : eq(libraryPictures.state, state),
    search === undefined || search === '' ? undefined : ilike(libraryPictures.path, literal(search)),
  )
  const [matches] = await needed.db.select({ pictures: count() }).from(libraryPictures).where(wanted)
  const rows = await needed.db
    .select()
    .from(libraryPictures)
    .where(wanted)
    .orderBy(ORDERS[sort], desc(libraryPictures.bytes), asc(libraryPictures.path))
    .offset(offset)
    .limit(PAGE)
  return { pictures: rows.map(toPicture), matches: matches?.pictures ?? 0 }
}

/** @throws AppError NOT_FOUND */
export const pictureRow = async ({ db }: HasDatabase, siteId: string, pictureId: string): Promise<Row> => {
  const [row] = await db
    .select()
    .from(libraryPictures)
    .where(and(ofSite(siteId), eq(libraryPictures.id, pictureId)))
  if (row === undefined) throw errors.notFound('picture')
  return row
}

/** Leave a picture out, or have it made again; visitors get the original meanwhile. @throws AppError NOT_FOUND */
export const treatPicture = async (
  needed: HasDatabase & HasDelivery & HasPicturesFolder & HasEvents,
  siteId: string,
  pictureId: string,
  treatment: PictureTreatment,
): Promise<LibraryPicture> => {
  const row = await pictureRow(needed, siteId, pictureId)
  if (row.digest !== '') await removePrepared(needed, siteId, row.digest)
  const [changed] = await needed.db
    .update(libraryPictures)
    .set({
      treatment,
      state: treatment === 'leave-out' ? 'left-out' : 'found',
      reason: treatment === 'leave-out' ? 'You have left it out.' : null,
      variants: [],
      doneAt: null,
    })
    .where(eq(libraryPictures.id, row.id))
    .returning()
  await tellDelivery(needed, siteId)
  needed.events.changed(siteId, 'upkeep')
  return toPicture(changed ?? row)
}
