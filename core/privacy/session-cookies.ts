/** Shorter values are settings, not what tells visitors apart. */
const SHORTEST_SESSION = 8

type Pairs = readonly (readonly [name: string, value: string])[]

/** Names of cookies that two visitors got with values of their own: they stand for sessions. */
export const sessionCookies = (one: Pairs, other: Pairs): string[] => {
  const values = new Map(other)
  return one
    .filter(([name, value]) => value.length >= SHORTEST_SESSION && values.has(name) && values.get(name) !== value)
    .map(([name]) => name)
}
