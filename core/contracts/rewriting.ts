import { z } from 'zod'

/** Settings of the remedies that rewrite pages and files: reach *files* and reach *page*. */

const filePattern = z.string().trim().min(1).max(500)
const wholeSeconds = (most: number) => z.int().min(0).max(most)

/** An item left out of a remedy, with the reason. */
export const RemedyException = z.strictObject({
  by: z
    .enum(['file', 'address', 'selector'])
    .describe(
      '"file": a style, script, picture or font by its address; "address": a page and all below it; "selector": elements by CSS selector',
    ),
  value: z
    .string()
    .trim()
    .min(1, 'Say what is left out.')
    .max(500)
    .describe('"*" stands for any characters in files and addresses'),
  reason: z.string().trim().max(300).default(''),
})
export type RemedyException = z.infer<typeof RemedyException>

const exceptions = z.array(RemedyException).max(500).default([]).describe('Left out, each with the reason')

export const MinifySettings = z.strictObject({
  enabled: z.boolean().default(false),
  html: z.boolean().default(true).describe('White space and comments of pages'),
  styles: z.boolean().default(true),
  scripts: z.boolean().default(true),
  inline: z.boolean().default(true).describe('Styles and scripts inside pages too'),
  svg: z.boolean().default(true),
  json: z.boolean().default(true).describe('JSON answers and data inside pages'),
  exceptions,
})
export type MinifySettings = z.infer<typeof MinifySettings>

export const FingerprintSettings = z.strictObject({
  enabled: z.boolean().default(false),
  styles: z.boolean().default(true),
  scripts: z.boolean().default(true),
  fonts: z.boolean().default(true),
  images: z.boolean().default(true),
  exceptions,
})

export const ImageSettings = z.strictObject({
  enabled: z.boolean().default(false),
  prepared: z
    .boolean()
    .default(true)
    .describe('Answer the addresses of pictures with the lighter ones that Upkeep has made'),
  avif: z.boolean().default(true).describe('Offer AVIF to browsers that take it'),
  webp: z.boolean().default(true).describe('Offer WebP to browsers that take it'),
  quality: z
    .int()
    .min(30)
    .max(100)
    .default(80)
    .describe('Of photos, on the scale of JPEG; 90 is hardly visible (common practice)'),
  lossless: z
    .enum(['drawings', 'never'])
    .default('drawings')
    .describe('"drawings": PNG and GIF keep every pixel; "never": they may lose some too'),
  widest: z.int().min(200).max(8000).default(1920).describe('Wider pictures are resized to this; CSS pixels'),
  density: z
    .number()
    .min(1)
    .max(3)
    .default(1.5)
    .describe('Pixels per CSS pixel that dense screens get at most: 1.5 times 1920 is 2880'),
  phoneDensity: z
    .number()
    .min(1)
    .max(4)
    .default(2)
    .describe('Pixels per CSS pixel that phones get about; more are hardly seen (common practice)'),
  sizes: z.boolean().default(true).describe('Offer several widths, so that a phone loads a small one'),
  dimensions: z
    .boolean()
    .default(true)
    .describe('Write width and height where they are missing, so that nothing moves when a picture comes'),
  exceptions,
})
export type ImageSettings = z.infer<typeof ImageSettings>

export const FontSettings = z.strictObject({
  enabled: z.boolean().default(false),
  text: z.boolean().default(true).describe('Cut text fonts to the characters of the languages in use'),
  icons: z.boolean().default(true).describe('Cut icon fonts to the icons that style sheets name'),
  keep: z.string().max(5000).default('').describe('Characters to keep besides'),
  exceptions,
})
export type FontSettings = z.infer<typeof FontSettings>

/** Host and port of somebody else. */
export const OtherHost = z
  .string()
  .trim()
  .toLowerCase()
  .regex(
    /^[a-z0-9.-]+(?::\d{1,5})?$/,
    'Give a host name, with the port if it has one: "tags.example" or "tags.example:8080".',
  )

export const LocalCopySettings = z.strictObject({
  enabled: z.boolean().default(false),
  hosts: z
    .array(OtherHost)
    .max(50)
    .default([])
    .describe('Scripts of these hosts are fetched and kept here; no other host is ever asked'),
  refreshS: wholeSeconds(30 * 86_400)
    .default(86_400)
    .describe('How old a copy may get before it is fetched again, in seconds'),
  exceptions,
})

export const CombineSettings = z.strictObject({
  enabled: z.boolean().default(false),
  styles: z.boolean().default(true),
  scripts: z.boolean().default(true),
  evenMultiplexed: z
    .boolean()
    .default(false)
    .describe('Also for visitors who come by HTTP/2, where many files cost no more than one'),
  exceptions,
})

export const UnusedStyleSettings = z.strictObject({
  enabled: z.boolean().default(false),
  keep: z
    .array(z.string().trim().min(1).max(200))
    .max(500)
    .default([])
    .describe('Rules whose selector contains one of these stay: what scripts of others switch on'),
  exceptions,
})

export const CriticalStyleSettings = z.strictObject({
  enabled: z.boolean().default(false),
  perDevice: z.boolean().default(true).describe('Copies of a page apart for phones and for everything else'),
  mostBytes: z
    .int()
    .min(1000)
    .max(200_000)
    .default(40_000)
    .describe('When more than this is needed before scrolling, the style sheets stay as they are'),
  exceptions,
})

export const ScriptOrderSettings = z.strictObject({
  enabled: z.boolean().default(false),
  manner: z
    .enum(['late', 'defer', 'end'])
    .default('late')
    .describe(
      'What becomes of scripts that hold up the page: deferred and named at its end, deferred where they stand, or moved to its end as they are',
    ),
  async: z.array(filePattern).max(200).default([]).describe('Scripts that need nothing and that nothing needs'),
  firstTouch: z
    .array(filePattern)
    .max(200)
    .default([])
    .describe('Scripts that nobody needs before the first touch: chat, tags'),
  exceptions,
})
export type ScriptOrderSettings = z.infer<typeof ScriptOrderSettings>

export const LazySettings = z.strictObject({
  enabled: z.boolean().default(false),
  images: z.boolean().default(true),
  frames: z.boolean().default(true),
  backgrounds: z.boolean().default(true).describe('Backgrounds written in the page’s elements'),
  firstImages: z
    .int()
    .min(0)
    .max(50)
    .default(4)
    .describe('Pictures at the top that are never lazy where it has not been measured what shows before scrolling'),
  exceptions,
})
export type LazySettings = z.infer<typeof LazySettings>

export const StillVideoSettings = z.strictObject({
  enabled: z.boolean().default(false),
  frames: z
    .array(filePattern)
    .max(100)
    .default(['*/embed/*', '*/player/*', '*/video/*'])
    .describe('Frames that hold a video, by address'),
  exceptions,
})

export const HintSettings = z.strictObject({
  enabled: z.boolean().default(false),
  fontDisplay: z
    .enum(['swap', 'fallback', 'optional', 'as-it-is'])
    .default('swap')
    .describe('What stands in for text while its font loads (CSS Fonts, font-display)'),
  preloadMain: z.boolean().default(true).describe('Load the main picture first'),
  mainInPageKb: z
    .int()
    .min(0)
    .max(50)
    .default(14)
    .describe(
      'Put the main picture into pages for phones when it is no larger as AVIF, in thousands of bytes; 0: never',
    ),
  preloadFonts: z.boolean().default(true).describe('Load the fonts that show before scrolling early'),
  preconnect: z.boolean().default(true).describe('Open connections to hosts that are used early'),
  early: z
    .boolean()
    .default(true)
    .describe('Send 103 Early Hints over HTTP/2 while the visitor waits for your server (origin) to build the page'),
  exceptions,
})

export const UnusedScriptSettings = z.strictObject({
  enabled: z.boolean().default(false),
  more: z.array(filePattern).max(100).default([]).describe('Scripts and styles that you know to be unused'),
  exceptions,
})
export type UnusedScriptSettings = z.infer<typeof UnusedScriptSettings>

export const PrefetchWhen = z.enum(['press', 'hover', 'view'])
export type PrefetchWhen = z.infer<typeof PrefetchWhen>

const pagePath = z
  .string()
  .trim()
  .max(500)
  .regex(/^\/(?!\/)/, 'A page begins with "/".')

/** The owner's word on one page that may follow another, whatever visits have shown. */
export const NextPageRule = z.strictObject({
  page: pagePath.describe('The page it is fetched from'),
  next: pagePath.describe('The page that is fetched'),
  fetch: z.enum(['always', 'never']),
})
export type NextPageRule = z.infer<typeof NextPageRule>

export const PrefetchSettings = z.strictObject({
  enabled: z.boolean().default(false),
  when: PrefetchWhen.default('hover').describe(
    'When a linked page is fetched: as the visitor presses the link, points at it, or sees it',
  ),
  learn: z
    .boolean()
    .default(true)
    .describe('Fetch the pages that visitors usually open next as soon as a page is shown'),
  likelyPercent: z
    .int()
    .min(1)
    .max(100)
    .default(25)
    .describe('A page counts as usual when at least this share of visits goes on to it, per cent'),
  prerender: z
    .boolean()
    .default(false)
    .describe(
      'Render the likeliest next pages ahead, where nothing but showing them happens; the others are only fetched',
    ),
  mostWastedPercent: z
    .int()
    .min(1)
    .max(100)
    .default(30)
    .describe('Bytes fetched ahead for pages that nobody opened, of all bytes fetched ahead, per cent'),
  rules: z.array(NextPageRule).max(500).default([]).describe('Pages that always or never follow another'),
  mostLinks: z.int().min(1).max(200).default(60).describe('Links of one page that may be fetched ahead'),
  exceptions,
})
export type PrefetchSettings = z.infer<typeof PrefetchSettings>

export const FilesCdnSettings = z.strictObject({
  enabled: z.boolean().default(false),
  address: z
    .union([
      z.literal(''),
      z
        .url({ protocol: /^https?$/, error: 'Give the address of the CDN, such as https://files.example.' })
        .transform((url) => new URL(url).origin),
    ])
    .default('')
    .describe('Scheme and host by which the CDN serves your files'),
  styles: z.boolean().default(true),
  scripts: z.boolean().default(true),
  fonts: z.boolean().default(true),
  pictures: z.boolean().default(true),
  exceptions,
})

export const PollingSettings = z.strictObject({
  enabled: z.boolean().default(false),
  paths: z
    .array(z.string().trim().max(500).regex(/^[/*]/, 'A path begins with "/", or with "*" for any beginning.'))
    .max(100)
    .default(['*/poll', '*/presence'])
    .describe('Addresses that open pages ask again and again'),
  everyS: wholeSeconds(3600)
    .default(90)
    .describe('One answer from the origin serves one visitor for so long, in seconds'),
  exceptions,
})
