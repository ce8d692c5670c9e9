import { z } from 'zod'
import { PrefetchWhen } from './rewriting.ts'

/** Path and query of a page of the site. */
const PagePath = z
  .string()
  .max(1000)
  .regex(/^\/(?!\/)/, 'A page begins with one "/".')

/** Where a page came from when it was opened: from the server at the click, from what was fetched or rendered before it, or from the browser's cache. */
export const CameFrom = z.enum(['server', 'prefetch', 'prerender', 'browser'])
export type CameFrom = z.infer<typeof CameFrom>

/** How careful prefetching has become because too much was fetched for nothing: as set, only at links pointed at, only at links pressed. */
export const PrefetchCaution = z.enum(['none', 'pointed-at', 'pressed'])
export type PrefetchCaution = z.infer<typeof PrefetchCaution>

/** What the script of an open page tells delivery, to learn what may be fetched ahead from there. */
export const NextPagesQuestion = z.object({
  page: PagePath,
  from: PagePath.nullable().describe('Page of the same site that led here; null: none, or it was loaded again'),
  came: CameFrom,
})
export type NextPagesQuestion = z.infer<typeof NextPagesQuestion>

/** What may be fetched ahead from a page; all of it only where the page has a link to it that is safe to fetch. */
export const NextPagesAnswer = z.object({
  now: z.array(PagePath).describe('Fetched at once, the likeliest first'),
  prerender: z
    .array(PagePath)
    .default([])
    .describe('Rendered ahead rather than only fetched, at once or by their link'),
  never: z.array(PagePath).describe('Not fetched from this page, by the owner’s word'),
  when: PrefetchWhen.describe('When all other links are fetched'),
})
export type NextPagesAnswer = z.infer<typeof NextPagesAnswer>

/** A page, how often it was opened, and which pages were opened from it. */
export const PageSequence = z.object({
  page: z.string(),
  visits: z.number().min(0).describe('Older visits count less'),
  next: z.array(z.object({ page: z.string(), visits: z.number().min(0) })).describe('Most often opened first'),
})
export type PageSequence = z.infer<typeof PageSequence>

/** Which pages follow which, as far as visits have shown it. */
export const PageSequences = z.object({ sequences: z.array(PageSequence) })
export type PageSequences = z.infer<typeof PageSequences>
