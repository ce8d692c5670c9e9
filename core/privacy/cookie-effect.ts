import type { CookieFinding } from '../contracts/cookies.ts'
import { settledHtml } from '../page/document/settled-html.ts'

/** A page asked for with and without one cookie; each twice, to know what differs by itself. */
export interface CookieTrial {
  readonly path: string
  readonly without: readonly [string, string]
  readonly with: readonly [string, string]
  /** Whether the answer with the cookie says that it is for one visitor: Cache-Control private, no-store or no-cache. */
  readonly markedPersonal: boolean
  readonly markedWithout: boolean
}

/** What one cookie does to the pages it was tried on. */
export const cookieEffect = (
  name: string,
  trials: readonly CookieTrial[],
  /** Whether two visitors were given values of their own. */
  differs: boolean,
): Pick<CookieFinding, 'effect' | 'sentence' | 'paths'> => {
  const steady = trials.filter(
    ({ without, with: having }) =>
      settledHtml(without[0]) === settledHtml(without[1]) && settledHtml(having[0]) === settledHtml(having[1]),
  )
  const marked = trials.filter(({ markedPersonal, markedWithout }) => markedPersonal && !markedWithout)
  const changed = steady.filter(({ without, with: having }) => settledHtml(without[0]) !== settledHtml(having[0]))
  const paths = [...new Set([...marked, ...changed].map(({ path }) => path))]
  if (marked.length > 0)
    return {
      effect: 'personal',
      paths,
      sentence: `With ${name}, the site marks its responses as private. The cookie is personal.`,
    }
  if (changed.length > 0)
    return {
      effect: 'changes',
      paths,
      sentence: `With ${name}, ${changed.length === 1 ? 'a page differs' : `${changed.length} pages differ`}. Treat it as personal unless you know better.`,
    }
  if (steady.length < trials.length)
    return {
      effect: 'unsteady',
      paths: trials.filter((one) => !steady.includes(one)).map(({ path }) => path),
      sentence: `Some pages differ from request to request by themselves, so ${name} could not be tested.`,
    }
  if (differs)
    return {
      effect: 'session',
      paths: [],
      sentence: `No page of the sample changes with ${name}, but every visitor gets a different value: it identifies a session, which may later hold a basket or a name. Name it under “Kinds of pages” as a cookie that gives everybody a session; never treat it as harmless.`,
    }
  return {
    effect: 'none',
    paths: [],
    sentence: `No page of the sample changes with ${name}. If it says nothing about a person, it is harmless.`,
  }
}
