import { z } from 'zod'
import { QuietHours } from './clean-up.ts'
import { FileConnectionInfo } from './file-connections.ts'
import { JobState } from './jobs.ts'

/** Form of a picture, by its bytes and not by its name. */
export const PictureForm = z.enum(['avif', 'webp', 'jpeg', 'png', 'gif'])
export type PictureForm = z.infer<typeof PictureForm>

/** How similar a lighter picture has to be (SSIM; Wang and others, 2004). */
export const SimilarityBound = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('as-jpeg'),
    quality: z.int().min(50).max(100).describe('As similar as the same picture as JPEG of this quality'),
  }),
  z.strictObject({ kind: z.literal('ssim'), atLeast: z.number().min(0.8).max(1) }),
])
export type SimilarityBound = z.infer<typeof SimilarityBound>

/** What the owner has decided about pictures. */
export const PicturePlan = z.strictObject({
  bound: SimilarityBound.default({ kind: 'as-jpeg', quality: 90 }),
  lossless: z
    .enum(['graphics', 'everything'])
    .default('graphics')
    .describe('"graphics": what was drawn keeps every pixel; "everything": photos do too'),
  forms: z
    .array(z.enum(['avif', 'webp']))
    .max(2)
    .default(['avif', 'webp'])
    .describe('Forms that are tried besides the picture’s own'),
  widest: z.int().min(200).max(8000).default(1920).describe('Wider pictures are resized to this; CSS pixels'),
  density: z
    .number()
    .min(1)
    .max(3)
    .default(1.5)
    .describe('Pixels per CSS pixel that dense screens get: 1.5 times 1920 is 2880'),
  metadata: z
    .enum(['copyright', 'everything'])
    .default('copyright')
    .describe('"copyright": only author and copyright stay'),
  processor: z.int().min(5).max(100).default(50).describe('Share of one processor core that may be used, per cent'),
  quiet: QuietHours.nullable().default(null).describe('Null: at any hour'),
  work: z.enum(['running', 'paused']).default('running'),
  every: z
    .strictObject({ count: z.int().min(1).max(1000), unit: z.enum(['hours', 'days', 'weeks']) })
    .nullable()
    .default(null)
    .describe('How often new pictures are looked for and made lighter; null: only when asked'),
  mediaPath: z
    .string()
    .trim()
    .max(500)
    .regex(/^\/(?:[^\s?#]*\/)?$/, 'Give a path such as /media/, beginning and ending with “/”.')
    .default('/')
    .describe('Address on the site under which the media folder is'),
})
export type PicturePlan = z.infer<typeof PicturePlan>

export const PictureVariant = z.object({
  form: PictureForm,
  width: z.int(),
  height: z.int(),
  bytes: z.int(),
  quality: z.int().nullable().describe('On the scale of the form; null: every pixel is kept'),
  similarity: z.number().describe('SSIM with the original in this size; 1: the same'),
})
export type PictureVariant = z.infer<typeof PictureVariant>

export const PictureState = z.enum(['found', 'lighter', 'no-gain', 'left-alone', 'left-out', 'failed'])
export type PictureState = z.infer<typeof PictureState>

/** What the owner wants of one picture. */
export const PictureTreatment = z.enum(['as-planned', 'lossless', 'leave-out'])
export type PictureTreatment = z.infer<typeof PictureTreatment>

/** What was written to the server of the site for a picture. */
export const PlacedPicture = z.object({
  how: z.enum(['over', 'beside']),
  at: z.iso.datetime(),
  files: z.array(z.string()).describe('Files that were written, below the media folder'),
  original: z.string().nullable().describe('Where the original is kept; null: it is untouched'),
  written: z.string().describe('SHA-256 of what stands in place of the original now'),
})
export type PlacedPicture = z.infer<typeof PlacedPicture>

export const LibraryPicture = z.object({
  id: z.string(),
  path: z.string().describe('Path and query on the site'),
  pages: z.array(z.string()).describe('Pages that show it; some of them'),
  file: z.string().nullable().describe('Its name below the media folder; null: not known'),
  bytes: z.int(),
  width: z.int(),
  height: z.int(),
  form: PictureForm.nullable(),
  shown: z
    .object({ phone: z.number().nullable(), laptop: z.number().nullable() })
    .describe('Widest it was seen on measured pages, CSS pixels'),
  state: PictureState,
  reason: z.string().nullable(),
  graphic: z.boolean().nullable().describe('Whether it was drawn and not photographed'),
  variants: z.array(PictureVariant).describe('Lighter than the original; lightest first'),
  treatment: PictureTreatment,
  doneAt: z.iso.datetime().nullable(),
  placed: PlacedPicture.nullable(),
})
export type LibraryPicture = z.infer<typeof LibraryPicture>

/** What would be saved, judged by a sample that was really made lighter. */
export const SavingEstimate = z.object({
  pictures: z.int().describe('Pictures of the sample'),
  before: z.number().describe('Bytes of the whole library'),
  after: z.number(),
  low: z.number().describe('95 % interval of the bytes after'),
  high: z.number(),
})
export type SavingEstimate = z.infer<typeof SavingEstimate>

export const PictureSurvey = z.object({
  at: z.iso.datetime(),
  state: JobState,
  error: z.string().nullable(),
  result: z
    .object({
      pages: z.int().describe('Pages that were read'),
      sources: z.array(z.string()).describe('Where pictures were looked for, and what was not read and why'),
      gone: z.int().describe('Pictures that are no longer there'),
      estimate: SavingEstimate.nullable(),
    })
    .nullable(),
})
export type PictureSurvey = z.infer<typeof PictureSurvey>

export const MonthOfPictures = z.object({
  month: z.string().regex(/^\d{4}-\d\d$/),
  pictures: z.int(),
  before: z.number(),
  after: z.number(),
  msMainContent: z
    .number()
    .nullable()
    .describe(
      'Main content of the sample’s first page as measured in that month, as its first visitor; null: not measured',
    ),
})
export type MonthOfPictures = z.infer<typeof MonthOfPictures>

/** The picture library of a site. */
export const PictureLibrary = z.object({
  plan: PicturePlan,
  place: FileConnectionInfo.describe('How the media folder is reached'),
  survey: PictureSurvey.nullable(),
  counts: z.record(PictureState, z.int()),
  bytes: z.number().describe('Of all pictures as they are'),
  largest: z.array(LibraryPicture).describe('The largest few'),
  forms: z.array(z.object({ form: PictureForm.nullable(), pictures: z.int(), bytes: z.number() })),
  lighter: z.object({ before: z.number(), after: z.number() }).describe('Bytes of the pictures that were made lighter'),
  placed: z.int().describe('Pictures of which files were written to the server of the site'),
  delivered: z
    .enum(['live', 'trial', 'off'])
    .describe('Whether visitors get the lighter pictures through delivery: a remedy of the setup'),
  months: z.array(MonthOfPictures),
})
export type PictureLibrary = z.infer<typeof PictureLibrary>

export const PicturePage = z.object({ pictures: z.array(LibraryPicture), matches: z.int() })
export type PicturePage = z.infer<typeof PicturePage>

/** What is to be written to the server of the site. */
export const PlacingOrder = z.strictObject({
  how: z
    .enum(['over', 'beside', 'back'])
    .describe(
      '"over": lighter files of the same form take the place of the originals, which are kept in a dated folder; "beside": every lighter form is written next to its original; "back": originals are put back and what was written goes',
    ),
})
export type PlacingOrder = z.infer<typeof PlacingOrder>
