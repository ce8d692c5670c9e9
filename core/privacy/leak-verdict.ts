import type { PrivacyAnswer, PrivacyLeak, PrivacyVisitor } from '../contracts/privacy.ts'
import { cookieNameOf } from '../http/set-cookie.ts'
import { pageValues, type PageValues } from './page-values.ts'

/** One page as one visitor got it: straight from the origin, and through the trial. */
export interface Observation {
  readonly path: string
  readonly visitor: PrivacyVisitor
  readonly direct: { readonly status: number; readonly body: string }
  /** The same from the origin once more: what differs between the two belongs to the moment, not to the visitor. */
  readonly directAgain?: string
  readonly trial: {
    readonly status: number
    readonly body: string
    readonly cacheStatus: string
    readonly setCookies: readonly string[]
  }
  /** Texts that are this visitor's alone: values of their cookies, the name they signed in with. */
  readonly secrets: readonly string[]
}

/** Shorter ones occur in any page by accident. */
const SHORTEST_SECRET = 5
/** A value that looks made up rather than written: letters and digits, eight or more. */
const looksLikeToken = (value: string): boolean =>
  /^[\w+/=.:-]{8,}$/.test(value) && /\d/.test(value) && /[a-z]/i.test(value)

const excerpt = (body: string, text: string): string => {
  const at = body.indexOf(text)
  if (at === -1) return ''
  return body.slice(Math.max(0, at - 80), at + text.length + 80).trim()
}

const isFromStore = ({ trial }: Observation): boolean => /;\s*(hit|collapsed)\b/.test(trial.cacheStatus)

const shorten = (text: string): string => (text.length > 60 ? `${text.slice(0, 57)}…` : text)

const asOwner = ({ visitor, direct }: Observation, text: string): PrivacyAnswer => ({
  visitor,
  status: direct.status,
  cacheStatus: '',
  excerpt: excerpt(direct.body, text),
})
const asReached = ({ visitor, trial }: Observation, text: string): PrivacyAnswer => ({
  visitor,
  status: trial.status,
  cacheStatus: trial.cacheStatus,
  excerpt: excerpt(trial.body, text),
})

interface Looked {
  readonly seen: Observation
  readonly direct: PageValues
  readonly trial: PageValues
}

/** Words and secrets of one visitor in what another got through the trial, and would not have got from the origin. */
const strayTexts = (owner: Looked, other: Looked, all: readonly Looked[]): PrivacyLeak[] => {
  const { path } = owner.seen
  const leak = (kind: PrivacyLeak['kind'], what: string, sentence: string): PrivacyLeak => ({
    path,
    kind,
    sentence,
    what: shorten(what),
    owner: asOwner(owner.seen, what),
    reached: asReached(other.seen, what),
  })
  const secrets = owner.seen.secrets.filter(
    (text) =>
      text.length >= SHORTEST_SECRET && other.seen.trial.body.includes(text) && !other.seen.direct.body.includes(text),
  )
  // Who is signed out has no words of their own: what only they are shown is the public page.
  const ofPerson = owner.seen.visitor.startsWith('signed in') ? [...owner.direct.words] : []
  const own = ofPerson.filter(
    (word) =>
      other.trial.words.has(word) &&
      !other.direct.words.has(word) &&
      // What others are shown too is no more this visitor's than theirs.
      all.filter(({ direct }) => direct.words.has(word)).length === 1,
  )
  return [
    ...secrets.map((text) =>
      leak('secret', text, `A secret of the visitor “${owner.seen.visitor}” is in the page of another visitor.`),
    ),
    ...(secrets.length > 0
      ? []
      : own
          // Names are longer than the words around them.
          .sort((a, b) => b.length - a.length)
          .slice(0, 3)
          .map((word) =>
            leak(
              'personal-text',
              word,
              `“${shorten(word)}” is shown only to the visitor “${owner.seen.visitor}”, but reached another.`,
            ),
          )),
  ]
}

/** A place that the origin fills differently for two visitors, and that they got alike from the store: a form token that belongs to somebody. */
const sharedTokens = (one: Looked, other: Looked): PrivacyLeak[] =>
  [...other.trial.places].flatMap(([place, value]) => {
    if (!looksLikeToken(value) || one.trial.places.get(place) !== value) return []
    const [first, second] = [one.direct.places.get(place), other.direct.places.get(place)]
    if (first === undefined || second === undefined || first === second) return []
    return [
      {
        path: one.seen.path,
        kind: 'shared-token' as const,
        sentence: `The ${place} is different for each visitor on your server (origin), but two visitors got the same one. Forms of one visitor may fail, or be taken for the other’s.`,
        what: shorten(value),
        owner: asOwner(one.seen, first),
        reached: asReached(other.seen, value),
      },
    ]
  })

/**
 * What a signed-in visitor sees at the origin each time, who is signed out never sees, and what is missing in the page from the store: their name,
 * links to edit, the fields of their forms. They were given the page of somebody else.
 */
const lostOwn = (owner: Looked, all: readonly Looked[]): PrivacyLeak[] => {
  const { seen, direct, trial } = owner
  if (!seen.visitor.startsWith('signed in') || seen.directAgain === undefined) return []
  const again = pageValues(seen.directAgain)
  const signedOut = all.filter((one) => one.seen.visitor.startsWith('signed out')).map((one) => one.direct)
  const words = [...direct.words].filter(
    (word) => again.words.has(word) && !trial.words.has(word) && !signedOut.some((page) => page.words.has(word)),
  )
  const places = [...direct.places.keys()].filter(
    (place) => again.places.has(place) && !trial.places.has(place) && !signedOut.some((page) => page.places.has(place)),
  )
  const lost = (what: string, sentence: string, text = what): PrivacyLeak => ({
    path: seen.path,
    kind: 'own-lost',
    sentence,
    what: shorten(what),
    owner: asOwner(seen, text),
    reached: { ...asReached(seen, text), excerpt: trialInstead(seen) },
  })
  if (places.length > 0)
    return places
      .slice(0, 2)
      .map((place) =>
        lost(
          place,
          `The ${place} that the visitor “${seen.visitor}” gets from your server (origin) is missing: they got somebody else’s page from the store, and their forms may fail.`,
          direct.places.get(place),
        ),
      )
  // Names are longer than the words around them.
  return words
    .sort((a, b) => b.length - a.length)
    .slice(0, 2)
    .map((word) =>
      lost(
        word,
        `“${shorten(word)}” is shown to the visitor “${seen.visitor}” on your server (origin), but is missing here: they got somebody else’s page from the store.`,
      ),
    )
}

/** How the page from the store begins, without what nobody sees. */
const trialInstead = ({ trial }: Observation): string =>
  trial.body
    .replaceAll(/<(script|style|head)\b[\s\S]*?<\/\1>/gi, '')
    .replaceAll(/<[^>]*>/g, ' ')
    .replaceAll(/\s+/g, ' ')
    .trim()
    .slice(0, 160)

const cookiesFromStore = ({ seen }: Looked): PrivacyLeak[] =>
  isFromStore(seen)
    ? seen.trial.setCookies.map((line) => ({
        path: seen.path,
        kind: 'cookie' as const,
        sentence: `A response from the store sets the cookie ${cookieNameOf(line)}: everyone would get the same one.`,
        what: cookieNameOf(line),
        owner: asOwner(seen, ''),
        reached: asReached(seen, ''),
      }))
    : []

/**
 * Whether anything of one visitor reached another through the trial, and whether all still see what is theirs. Only answers from the store can leak; what the origin itself shows to others is
 * not held against the store.
 * @param observations of one page by several visitors each, in the order they were made
 */
export const judgePrivacy = (observations: readonly Observation[]): PrivacyLeak[] => {
  const leaks: PrivacyLeak[] = []
  for (const path of new Set(observations.map((one) => one.path))) {
    const looked = observations
      .filter((one) => one.path === path)
      .map((seen) => ({ seen, direct: pageValues(seen.direct.body), trial: pageValues(seen.trial.body) }))
    for (const other of looked) {
      leaks.push(...cookiesFromStore(other))
      if (!isFromStore(other.seen)) continue
      leaks.push(...lostOwn(other, looked))
      for (const owner of looked) {
        if (owner.seen.visitor === other.seen.visitor) continue
        leaks.push(...strayTexts(owner, other, looked), ...sharedTokens(owner, other))
      }
    }
  }
  return leaks
}
