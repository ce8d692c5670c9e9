import { z } from 'zod'

/** One thing a remedy did to a page or file, or left alone and why. */
export const PageChange = z.object({
  remedy: z.string(),
  kind: z.enum(['changed', 'left']),
  /** The address, or the element as it begins. */
  item: z.string(),
  sentence: z.string(),
  bytesBefore: z.int().nullable().default(null),
  bytesAfter: z.int().nullable().default(null),
})
export type PageChange = z.infer<typeof PageChange>

/** What is known of how a page is shown on a device; paths are those of the origin, without query. */
export const PageKnowledge = z.object({
  path: z.string(),
  device: z.enum(['phone', 'laptop']),
  viewWidth: z.number().describe('CSS pixels'),
  mainImage: z.string().nullable().describe('Path of the picture that is the main content'),
  alsoMain: z
    .array(z.string())
    .default([])
    .describe('Paths of pictures of the initial viewport that are about as large: the main content of other loads'),
  images: z.array(
    z.object({
      path: z.string(),
      shownWidth: z.number(),
      inFirstView: z.boolean(),
      widthHeld: z
        .boolean()
        .optional()
        .describe('With a width written on it, its own pixels do not decide how wide it is'),
    }),
  ),
  fonts: z.array(z.string()).describe('Paths of fonts that the initial viewport shows, the most important first'),
  selectors: z.array(z.string()).describe('Selectors of style rules that the initial viewport needs'),
  hosts: z.array(z.string()).describe('Other origins that were asked before the first paint'),
  asks: z
    .array(
      z.object({
        url: z.string().describe('What stands behind "?" is left out'),
        by: z.string().nullable().describe('The script, or the page whose inline code it was'),
        type: z.string().describe('Destination (Fetch standard)'),
      }),
    )
    .optional()
    .describe('What scripts asked for while the page loaded; absent in knowledge of earlier versions'),
  unusedScripts: z
    .array(z.object({ path: z.string(), globals: z.array(z.string()) }))
    .default([])
    .describe('Scripts that nothing used when the page was loaded, and the names they offer'),
})
export type PageKnowledge = z.infer<typeof PageKnowledge>
