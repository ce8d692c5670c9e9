import type { PageRecording, RecordedResource } from './recording.ts'
import type { WhatIf } from './what-if.ts'

/** A question an owner asks of a page, answered before anything is changed. */
export interface Question {
  readonly id: string
  readonly text: string
  /** undefined: it does not apply to this page. */
  readonly change: (recording: PageRecording, decoded: ReadonlyMap<string, number>) => WhatIf | undefined
}

const ids = (recording: PageRecording, fits: (resource: RecordedResource) => boolean): number[] =>
  recording.resources.filter(fits).map(({ id }) => id)

const unless = (change: Extract<WhatIf, { ids: readonly number[] }>): WhatIf | undefined =>
  change.ids.length === 0 ? undefined : change

const isText = ({ type }: RecordedResource): boolean => type === 'document' || type === 'style' || type === 'script'
const isThird = (recording: PageRecording) => {
  const own = recording.resources[0]?.hostname
  return ({ hostname }: RecordedResource): boolean => hostname !== own
}

/** What Brotli commonly leaves of text (common practice: 50–70 % less with gzip, a little more with Brotli). */
const COMPRESSED_SHARE = 0.27
/** Half the bytes: what modern formats and fitting sizes commonly leave of a picture (common practice). */
const PICTURE_SHARE = 0.5

const sized = (sizes: Map<number, number>): WhatIf | undefined =>
  sizes.size === 0 ? undefined : { kind: 'sized', sizes }

/** Questions in the usual order of work (common practice). */
export const QUESTIONS: readonly Question[] = [
  {
    id: 'stored',
    text: 'The page came from the store',
    change: (recording) =>
      unless({ kind: 'stored', ids: ids(recording, ({ id, serverMs }) => id === 0 && serverMs > 1) }),
  },
  {
    id: 'compressed',
    text: 'All text were compressed with Brotli',
    change: (recording, decoded) =>
      sized(
        new Map(
          recording.resources
            .filter((one) => isText(one) && !one.cached)
            .map((one) => ({ ...one, decodedBytes: decoded.get(one.url) ?? 0 }))
            // What is sent at nearly its full size is not compressed yet.
            .filter(({ sentBytes, decodedBytes }) => decodedBytes > 0 && sentBytes > 0.8 * decodedBytes)
            .map(({ id, decodedBytes }) => [id, Math.ceil(decodedBytes * COMPRESSED_SHARE)]),
        ),
      ),
  },
  {
    id: 'pictures',
    text: 'Pictures weighed half',
    change: (recording) =>
      sized(
        new Map(
          recording.resources
            .filter(({ type, cached }) => type === 'image' && !cached)
            .map(({ id, sentBytes }) => [id, Math.ceil(sentBytes * PICTURE_SHARE)]),
        ),
      ),
  },
  {
    id: 'scripts-later',
    text: 'Scripts waited until the page is shown',
    change: (recording) =>
      unless({
        kind: 'later',
        ids: ids(recording, ({ type, blocks }) => type === 'script' && blocks !== 'nothing'),
      }),
  },
  {
    id: 'without-third',
    text: 'Other hosts were left out',
    change: (recording) => unless({ kind: 'without', ids: ids(recording, isThird(recording)) }),
  },
]
