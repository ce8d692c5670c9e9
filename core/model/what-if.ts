import type { PageRecording, RecordedResource } from './recording.ts'

/** A change to a page whose worth is to be known before it is made. */
export type WhatIf =
  /** Answered from a store: the server takes no time. */
  | { readonly kind: 'stored'; readonly ids: readonly number[] }
  /** Fewer or more bytes on the wire: compressed, smaller pictures. */
  | { readonly kind: 'sized'; readonly sizes: ReadonlyMap<number, number> }
  /** Not waited for by anything, and not asked for before the first paint. */
  | { readonly kind: 'later'; readonly ids: readonly number[] }
  /** Asked for as it is met, after what is urgent; nothing waits for it, and it is carried out once the page is read. */
  | { readonly kind: 'deferred'; readonly ids: readonly number[]; readonly offset?: number }
  /** Sent by another host. */
  | { readonly kind: 'elsewhere'; readonly ids: readonly number[]; readonly hostname: string }
  /** Named at the beginning of the page, and more urgent than others of its kind. */
  | { readonly kind: 'early'; readonly ids: readonly number[] }
  /** Text shows in another font until its own has come. */
  | { readonly kind: 'unhidden' }
  /** Left out, with everything that only it asked for. */
  | { readonly kind: 'without'; readonly ids: readonly number[] }

/** A store answers within this time (benchmark miss-overhead and stored-rps). */
const STORED_MS = 1

const withoutThem = (recording: PageRecording, ids: ReadonlySet<number>): PageRecording => {
  const gone = new Set(ids)
  gone.delete(0)
  // What only they asked for is not asked for either; resources stand after what names them.
  for (const { id, discovery } of recording.resources)
    if (discovery.by === 'resource' && gone.has(discovery.id)) gone.add(id)
  const kept = recording.resources.filter(({ id }) => !gone.has(id))
  const place = new Map(kept.map(({ id }, index) => [id, index]))
  const { lcp } = recording
  return {
    ...recording,
    resources: kept.map((resource, id) => ({
      ...resource,
      id,
      discovery:
        resource.discovery.by === 'resource'
          ? { ...resource.discovery, id: place.get(resource.discovery.id) ?? 0 }
          : resource.discovery,
    })),
    // With the main content gone, what was painted first takes its place: the least that can be said.
    lcp:
      lcp.kind !== 'image' && lcp.kind !== 'font'
        ? lcp
        : place.has(lcp.id)
          ? { ...lcp, id: place.get(lcp.id)! }
          : { kind: 'first-paint' },
  }
}

/**
 * The recording of the page as it would be after a change.
 * @param change ids that do not exist are ignored; the document cannot be left out
 */
export const changed = (recording: PageRecording, change: WhatIf): PageRecording => {
  if (change.kind === 'without') return withoutThem(recording, new Set(change.ids))
  const each = (make: (resource: RecordedResource) => RecordedResource): PageRecording => ({
    ...recording,
    resources: recording.resources.map(make),
  })
  if (change.kind === 'sized') return each((one) => ({ ...one, sentBytes: change.sizes.get(one.id) ?? one.sentBytes }))
  if (change.kind === 'unhidden')
    return recording.lcp.kind === 'font' ? { ...recording, lcp: { kind: 'first-paint' } } : recording
  const ids = new Set(change.ids)
  switch (change.kind) {
    case 'stored':
      return each((one) => (ids.has(one.id) ? { ...one, serverMs: Math.min(one.serverMs, STORED_MS) } : one))
    case 'later':
      return each((one) =>
        ids.has(one.id) && one.id > 0
          ? { ...one, blocks: 'nothing', runs: 'after-parsing', discovery: { by: 'layout' }, urgency: 1 }
          : one,
      )
    case 'deferred':
      return each((one) =>
        ids.has(one.id) && one.id > 0
          ? {
              ...one,
              blocks: 'nothing',
              runs: 'after-parsing',
              urgency: 1,
              discovery: change.offset === undefined ? one.discovery : { by: 'parser', offset: change.offset },
            }
          : one,
      )
    case 'early':
      return each((one) =>
        ids.has(one.id) && one.id > 0 ? { ...one, discovery: { by: 'parser', offset: 0.01 }, urgency: 3 } : one,
      )
    case 'elsewhere':
      return each((one) =>
        ids.has(one.id)
          ? {
              ...one,
              hostname: change.hostname,
              origin: `${one.secure ? 'https' : 'http'}://${change.hostname}`,
            }
          : one,
      )
  }
}
