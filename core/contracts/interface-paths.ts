/** Addresses of the interface's views; control answers each with the interface, and nothing else. `:name` stands for one part. */
export const INTERFACE_PATHS = [
  '/',
  '/sign-in',
  '/connect',
  '/account',
  '/keyboard',
  '/sites/:siteId',
  '/sites/:siteId/start',
  '/sites/:siteId/measure',
  '/sites/:siteId/measure/trend',
  '/sites/:siteId/measure/check',
  '/sites/:siteId/measure/visitors',
  '/sites/:siteId/measure/load',
  '/sites/:siteId/measure/routine',
  '/sites/:siteId/measure/:measurementId',
  '/sites/:siteId/measure/:measurementId/runs/:runId',
  '/sites/:siteId/remedies',
  '/sites/:siteId/remedies/guided',
  '/sites/:siteId/remedies/checks/:checkId',
  '/sites/:siteId/store',
  '/sites/:siteId/edges',
  '/sites/:siteId/upkeep',
  '/sites/:siteId/ledger',
  '/sites/:siteId/ledger/report',
  '/sites/:siteId/site',
] as const

const PARTS = INTERFACE_PATHS.map((path) => path.split('/'))

/** Whether an address is one of a view; a slash at its end makes no difference. */
export const isInterfacePath = (path: string): boolean => {
  if (path.includes('//')) return false
  const asked = (path === '/' ? path : path.replace(/\/$/, '')).split('/')
  return PARTS.some(
    (parts) =>
      parts.length === asked.length &&
      parts.every((part, at) => (part.startsWith(':') ? /^[\w-]+$/.test(asked[at] ?? '') : part === asked[at])),
  )
}
