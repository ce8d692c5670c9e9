/** Names that a remedy had before, and the settings that went with it. */
const EARLIER: Readonly<Record<string, { readonly now: string; readonly gone: readonly string[] }>> = {
  features: { now: 'unusedScripts', gone: ['emoji', 'embeds', 'migration'] },
}

const renamed = (remedies: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(remedies).map(([id, settings]) => {
      const earlier = EARLIER[id]
      if (earlier === undefined || typeof settings !== 'object' || settings === null) return [id, settings]
      return [
        earlier.now,
        Object.fromEntries(Object.entries(settings).filter(([setting]) => !earlier.gone.includes(setting))),
      ]
    }),
  )

const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/**
 * Whatever was written with earlier names of remedies, with those of today; wherever in it `remedies` stand. Everything else stays, and is
 * not checked: who reads it parses it.
 * @param depth how far down to look; what is nested deeper than any setup of ours is left as it is
 */
export const withRemediesOfToday = (value: unknown, depth = 12): unknown => {
  if (depth === 0) return value
  if (Array.isArray(value)) return value.map((one) => withRemediesOfToday(one, depth - 1))
  if (!isRecord(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, inner]) => [
      key,
      key === 'remedies' && isRecord(inner) ? renamed(inner) : withRemediesOfToday(inner, depth - 1),
    ]),
  )
}
