import type { RequestRecord } from '../../core/contracts/measuring.ts'

/** The browser's own names for what it fetches, as destinations of the Fetch standard (§2.2.5); what has no destination there is "fetch". */
const DESTINATIONS: Readonly<Record<string, string>> = {
  Document: 'document',
  Stylesheet: 'style',
  Script: 'script',
  Image: 'image',
  Font: 'font',
  Media: 'video',
  TextTrack: 'track',
  Manifest: 'manifest',
  XHR: 'fetch',
  Fetch: 'fetch',
  EventSource: 'fetch',
}

/** @param type of a request, as the DevTools protocol names it */
export const destinationOf = (type: string | undefined): string => DESTINATIONS[type ?? ''] ?? 'other'

const PRIORITIES: Readonly<Record<string, Pick<RequestRecord, 'priority' | 'urgency'>>> = {
  VeryHigh: { priority: 'high', urgency: 0 },
  High: { priority: 'high', urgency: 1 },
  Medium: { priority: 'auto', urgency: 2 },
  Low: { priority: 'low', urgency: 3 },
  VeryLow: { priority: 'low', urgency: 4 },
}

/** @param priority of a request, as the DevTools protocol names it; as a priority of the Fetch standard, and an urgency of RFC 9218 (§4.1) */
export const priorityOf = (priority: string): Pick<RequestRecord, 'priority' | 'urgency'> =>
  PRIORITIES[priority] ?? { priority: 'auto', urgency: null }
