import type { Setup } from '../contracts/setup.ts'

/** Kinds of pages whose settings hand copies to visitors whom the safe defaults would keep apart: by name, empty when there are none. */
export const kindsToCheck = ({ remedies: { pageCache } }: Setup): string[] =>
  pageCache.enabled
    ? pageCache.kinds
        .filter(
          ({ overrule, ignoredCookies, sessionCookies }) =>
            overrule || ignoredCookies.length > 0 || sessionCookies.length > 0,
        )
        .map(({ name }) => name)
    : []
