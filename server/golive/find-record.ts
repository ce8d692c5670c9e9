import { Resolver } from 'node:dns/promises'
import type { TextRecord } from '../../core/contracts/certificates.ts'

const TIMEOUT_MS = 3000

/** Looks for text records. @param servers addresses of name servers to ask, each with its port if it is another than 53; none: those of this machine */
export const recordFinder = (servers: readonly string[]): ((record: TextRecord) => Promise<boolean>) => {
  const resolver = new Resolver({ timeout: TIMEOUT_MS, tries: 2 })
  if (servers.length > 0) resolver.setServers(servers)
  return async ({ name, value }) => {
    // It is not there yet, or nobody answers: it is asked again later.
    const found = await resolver.resolveTxt(name).catch(() => [])
    return found.some((parts) => parts.join('') === value)
  }
}
