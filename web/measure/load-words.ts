import type { LoadBounds, LoadCurve } from '../../core/contracts/load-tests.ts'
import { seconds } from '../format/show.ts'

/** A rate, as it is read. */
export const rate = (perSecond: number): string => String(perSecond)

type Result = NonNullable<LoadCurve['result']>

const RAN_OUT: Record<Result['ranOut'], (result: Result) => string> = {
  nothing: () => 'Nothing ran out up to the rate you allowed.',
  generator: () => 'This machine could not send more visitors; what was tested may handle more.',
  processor: () =>
    'The processors of this machine ran out. The site, Zest Lamp and the test share them; on machines of their own each would handle more.',
  connections: () => 'Connections were refused or broke off: the server had reached its limit of connections.',
  limit: () => 'Answers were 429: a rate limit turns visitors away before the server itself is at its limit.',
  'server-errors': () => 'The server answered with errors (status 500 and above).',
  origin: () => 'Stored pages kept coming quickly. Pages that your server (origin) has to build did not.',
  workers: ({ workers }) =>
    workers === null
      ? 'Visitors came faster than pages were built.'
      : `Visitors came faster than pages were built: the server builds about ${workers} at the same time.`,
  unknown: () => 'Pages took too long; what ran out cannot be seen from here.',
}

/** What a target handles, and what stopped it. */
export const resultSentences = (result: Result, bounds: LoadBounds): string[] => {
  const within = `19 of 20 pages within ${seconds(bounds.waitMs)}`
  const handled =
    result.borne === null
      ? `Not even the lowest rate could be handled with ${within} and at most ${bounds.errorPercent}% errors.`
      : `Handles ${rate(result.borne)} visitors a second${result.end === 'bound' ? ', the most you allowed' : ''}, with ${within}.`
  const grows =
    result.growsFrom === null
      ? []
      : [`From ${rate(result.growsFrom)} a second, half of the visitors wait twice as long.`]
  return [handled, RAN_OUT[result.ranOut](result), ...grows]
}
