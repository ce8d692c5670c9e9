/** How keys are called in the other server, which others may use too: whose they are, and of which database, before their own name. */
const BEGIN = 'zest:'

export const prefixOf = (siteId: string, db?: number): string =>
  `${BEGIN}${encodeURIComponent(siteId)}:${db === undefined ? '' : `${db}:`}`

/** A pattern for all keys that begin so. */
export const patternOf = (prefix: string): string => `${prefix.replaceAll(/[\\*?[\]]/g, String.raw`\$&`)}*`

/** A key of some site. */
export interface OutsideKey {
  readonly siteId: string
  readonly db: number
  readonly key: Buffer
}

export const nameOf = ({ siteId, db, key }: OutsideKey): Buffer =>
  Buffer.concat([Buffer.from(prefixOf(siteId, db)), key])

/** @returns undefined: it is none of ours */
export const parseName = (name: Buffer): OutsideKey | undefined => {
  const first = BEGIN.length
  const second = name.indexOf(':', first)
  const third = second < 0 ? -1 : name.indexOf(':', second + 1)
  if (third < 0 || name.toString('latin1', 0, first) !== BEGIN) return undefined
  const db = Number(name.toString('latin1', second + 1, third))
  if (!Number.isInteger(db)) return undefined
  try {
    return { siteId: decodeURIComponent(name.toString('latin1', first, second)), db, key: name.subarray(third + 1) }
  } catch {
    return undefined
  }
}
