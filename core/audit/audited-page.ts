import type { PredictedTimes } from '../contracts/findings.ts'
import type { RequestRecord, RunDetails, RunMetrics, ShownImage, Side, VisitorProfile } from '../contracts/measuring.ts'
import { fieldValue, type Fields } from '../http/fields.ts'
import { isCompressible } from '../http/negotiation.ts'
import { recordingOf } from '../model/recording-from-run.ts'
import { documentOf, type PageRecording, type PredictedVisitor } from '../model/recording.ts'
import { originalPath } from '../page/context/file-facts.ts'

/** A page looked at closely as one visitor, ready to be asked what a change would be worth. */
export interface AuditedPage {
  readonly pageId: string
  readonly path: string
  readonly visitor: VisitorProfile
  readonly at: string
  /** Which of the site's versions was loaded. */
  readonly side: Side
  /** Medians of the loads measured with it, ms: what the ruler shows. A figure that was not measured is null. */
  readonly measured: { readonly [figure in keyof PredictedTimes]: number | null }
  readonly metrics: RunMetrics
  readonly details: RunDetails
  readonly requests: readonly RequestRecord[]
  readonly recording: PageRecording
  readonly predictedFor: PredictedVisitor
}

/** A request with its place in the recording, and what evidence goes by. */
export interface AuditedFile {
  readonly id: number
  readonly request: RequestRecord
  /** Path and query on the site itself, or the whole address. */
  readonly item: string
  /** Path of the origin's file. */
  readonly path: string
  readonly own: boolean
  readonly fields: Fields
  readonly compressible: boolean
  readonly compressed: boolean
}

export const auditedPageOf = (
  parts: Omit<AuditedPage, 'recording'> & { readonly recordedBy: PredictedVisitor },
): AuditedPage | undefined => {
  const { recordedBy, ...look } = parts
  const recording = recordingOf(look, recordedBy)
  return recording === undefined ? undefined : { ...look, recording }
}

/** The files of a look in the order of its recording; the document first. */
export const filesOf = ({ recording, requests }: AuditedPage): AuditedFile[] => {
  const host = new URL(documentOf(recording).url).host
  return recording.resources.flatMap(({ id, url }) => {
    const request = requests.find((one) => one.url === url)
    if (request === undefined) return []
    const address = new URL(url)
    const own = address.host === host
    const fields = request.responseFields as Fields
    return [
      {
        id,
        request,
        item: own ? address.pathname + address.search : url,
        path: originalPath(address.pathname),
        own,
        fields,
        compressible: isCompressible(fieldValue(fields, 'content-type')),
        compressed: fieldValue(fields, 'content-encoding') !== undefined,
      },
    ]
  })
}

export const imageOf = ({ details }: AuditedPage, { request }: AuditedFile): ShownImage | undefined =>
  details.images.find(({ url }) => url === request.url)
