import {
  mdiBucketOutline,
  mdiClipboardTextClockOutline,
  mdiDatabaseOutline,
  mdiMapMarkerMultipleOutline,
  mdiPulse,
  mdiRulerSquare,
  mdiTuneVariant,
  mdiWebSync,
} from '@mdi/js'

/** Places of a site in working order; those that do not work yet are not shown. */
export const PLACES = [
  { name: 'today', title: 'Today', icon: mdiPulse },
  { name: 'measure', title: 'Measure', icon: mdiRulerSquare },
  { name: 'remedies', title: 'Remedies', icon: mdiTuneVariant },
  { name: 'store', title: 'Store', icon: mdiDatabaseOutline },
  { name: 'edges', title: 'Edges', icon: mdiMapMarkerMultipleOutline },
  { name: 'upkeep', title: 'Upkeep', icon: mdiBucketOutline },
  { name: 'ledger', title: 'Ledger', icon: mdiClipboardTextClockOutline },
  { name: 'site', title: 'Site', icon: mdiWebSync },
] as const

/** Views that belong to another place. */
export const PARENT: Record<string, string> = {
  start: 'today',
  measurement: 'measure',
  run: 'measure',
  trend: 'measure',
  check: 'measure',
  visitors: 'measure',
  'load-test': 'measure',
  routine: 'measure',
  guided: 'remedies',
  safety: 'remedies',
  report: 'ledger',
}
