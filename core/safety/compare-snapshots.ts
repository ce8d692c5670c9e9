import type { Box, SafetyFinding, SafetyResult, SeenElement, PageSnapshot } from '../contracts/safety.ts'
import { boxesOf, differingSquares, widened } from './grid.ts'
import { SAME_PLACE, type Varying } from './varying-elements.ts'

/** More of the page than this looking different, with nothing else to be found, is told. */
const SHARE_TOLD = 0.005
/** More than this of a page varying by itself: nothing can be said about it. */
const SHARE_UNSTEADY = 0.5
const MOST_ITEMS = 8

/** What an element is called in evidence. */
const named = ({ text, key }: Pick<SeenElement, 'text' | 'key'>): string =>
  text === '' ? key : `“${text.length > 60 ? `${text.slice(0, 60)}…` : text}” (${key})`

const finding = (
  kind: SafetyFinding['kind'],
  severity: SafetyFinding['severity'],
  items: readonly string[],
  sentence: (count: number) => string,
  boxes: readonly Box[] = [],
): SafetyFinding[] =>
  items.length === 0
    ? []
    : [
        {
          kind,
          severity,
          sentence: sentence(items.length),
          items: items.slice(0, MOST_ITEMS),
          count: items.length,
          boxes: boxes.slice(0, 50),
        },
      ]

const counted = (count: number, one: string, many: string): string => (count === 1 ? `One ${one}` : `${count} ${many}`)

/** Elements that a remedy replaces on purpose, such as a video by its still picture: all below the key. */
const isBelow = (key: string, above: ReadonlySet<string>): boolean =>
  [...above].some((one) => key === one || key.startsWith(`${one} > `))

interface Compared {
  readonly live: readonly SeenElement[]
  readonly trial: readonly SeenElement[]
  readonly varying: Varying
  readonly replaced: ReadonlySet<string>
}

const compareElements = ({ live, trial, varying, replaced }: Compared, when: string): SafetyFinding[] => {
  const after = new Map(trial.map((element) => [element.key, element]))
  const steady = live.filter(({ key }) => !varying.elements.has(key) && !isBelow(key, replaced))
  const gone = steady.filter(({ key }) => !after.has(key))
  const pairs = steady.flatMap((before) => {
    const now = after.get(before.key)
    return now === undefined ? [] : [{ before, now }]
  })
  const said = pairs.filter(({ before, now }) => before.text !== now.text)
  const unstyled = pairs.filter(({ before, now }) => before.look !== now.look)
  // What stands below something that has moved has moved with it: told is what moved against its neighbour before.
  let [dx, dy] = [0, 0]
  const moved = pairs.filter(({ before, now }) => {
    const [x, y] = [now.box[0] - before.box[0], now.box[1] - before.box[1]]
    const sized = [2, 3].some((i) => Math.abs((now.box[i] ?? 0) - (before.box[i] ?? 0)) > SAME_PLACE)
    const against = Math.abs(x - dx) > SAME_PLACE || Math.abs(y - dy) > SAME_PLACE
    ;[dx, dy] = [x, y]
    return sized || against
  })
  const matters = gone.filter(({ what }) => what !== 'other')
  return [
    ...finding(
      'gone',
      'broken',
      matters.map(named),
      (n) => `${counted(n, 'element is', 'elements are')} missing${when}.`,
    ),
    ...finding(
      'gone',
      'differs',
      gone.filter(({ what }) => what === 'other').map(named),
      (n) => `${counted(n, 'empty box is', 'empty boxes are')} missing${when}.`,
    ),
    ...finding(
      'text',
      'broken',
      said.map(({ before, now }) => `${named(before)} is now “${now.text.slice(0, 60)}”`),
      (n) => `${counted(n, 'text has', 'texts have')} changed${when}.`,
      said.map(({ now }) => now.box),
    ),
    ...finding(
      'unstyled',
      unstyled.length > Math.max(3, pairs.length * 0.05) ? 'broken' : 'differs',
      unstyled.map(({ before, now }) => `${named(before)}: ${lookDifference(before.look, now.look)}`),
      (n) => `${counted(n, 'element has', 'elements have')} changed style${when}.`,
      unstyled.map(({ now }) => now.box),
    ),
    ...finding(
      'moved',
      'differs',
      moved.map(({ before, now }) => `${named(before)}: from ${place(before.box)} to ${place(now.box)}`),
      (n) => `${counted(n, 'element has', 'elements have')} moved or changed size${when}.`,
      moved.map(({ now }) => now.box),
    ),
  ]
}

const place = ([x, y, width, height]: Box): string =>
  `${Math.round(x)},${Math.round(y)} ${Math.round(width)}×${Math.round(height)}`

/** Names and values that differ between two looks: "color: a; font: b". */
const lookDifference = (before: string, now: string): string => {
  const was = before.split('; ')
  return now
    .split('; ')
    .filter((part) => !was.includes(part))
    .join('; ')
}

/** What both comparisons of elements found is told once. */
const withoutRepeats = (first: SafetyFinding[], whole: SafetyFinding[]): SafetyFinding[] =>
  first.filter((one) => !whole.some((other) => other.kind === one.kind && other.severity === one.severity))

export interface Comparison {
  readonly findings: SafetyFinding[]
  readonly masks: Box[]
  readonly differing: Box[]
}

/** Files, pictures and fonts that do not come as they did. */
const compareFiles = (live: PageSnapshot, varying: Varying, trial: PageSnapshot): SafetyFinding[] => {
  const failed = trial.failed.filter(({ path }) => !varying.failed.has(path))
  const wereShown = new Set(live.pictures.filter(({ shown }) => shown).map(({ key }) => key))
  const hidden = trial.pictures.filter(({ key, shown }) => !shown && wereShown.has(key) && !varying.elements.has(key))
  const hadLoaded = live.fonts.filter(({ loaded }) => loaded)
  const faces = hadLoaded.filter(({ family }) => !trial.fonts.some((one) => one.family === family && one.loaded))
  return [
    ...finding(
      'request',
      'broken',
      failed.filter(({ own }) => own).map(({ path, why }) => `${path}: ${why}`),
      (n) => `${counted(n, 'file fails', 'files fail')} that did not fail before.`,
    ),
    ...finding(
      'request',
      'differs',
      failed.filter(({ own }) => !own).map(({ path, why }) => `${path}: ${why}`),
      (n) => `${counted(n, 'file of another host fails', 'files of other hosts fail')} that did not fail before.`,
    ),
    ...finding(
      'picture',
      'broken',
      hidden.map(({ path }) => path),
      (n) => `${counted(n, 'picture is', 'pictures are')} missing.`,
    ),
    ...finding(
      'font',
      'differs',
      faces.map(({ family }) => family),
      (n) => `${counted(n, 'font is', 'fonts are')} no longer loaded.`,
    ),
  ]
}

/** Journeys, and the console: what a visitor wants to do, and what scripts say of it. */
const compareJourneys = (live: PageSnapshot, varying: Varying, trial: PageSnapshot): SafetyFinding[] => {
  const arrived = new Set(live.journeys.filter(({ why }) => why === null).map(({ id }) => id))
  const stuck = trial.journeys.flatMap(({ id, why }) => (why !== null && arrived.has(id) ? [why] : []))
  return [
    ...finding(
      'journey',
      'broken',
      stuck,
      (n) => `${counted(n, 'journey no longer reaches its', 'journeys no longer reach their')} end.`,
    ),
    ...finding(
      'console',
      'broken',
      [...new Set(trial.console)].filter((text) => !varying.console.has(text)),
      (n) => `${counted(n, 'new error', 'new errors')} in the console.`,
    ),
  ]
}

/** Controls that did something when they were pressed, and things that moved by themselves. */
const compareBehaviour = (live: PageSnapshot, varying: Varying, trial: PageSnapshot): SafetyFinding[] => {
  const inTrial = new Map(trial.controls.map((control) => [control.key, control]))
  const dead = live.controls.filter(({ key }) => varying.alive.has(key) && inTrial.get(key)?.reacted === false)
  const still = varying.moving.size > 0 && !trial.moving.some((key) => varying.moving.has(key))
  return [
    ...finding(
      'dead',
      'broken',
      dead.map(({ name, key }) => `“${name}” (${key})`),
      (n) => `${counted(n, 'button or switch no longer does', 'buttons or switches no longer do')} anything.`,
    ),
    ...finding('still', 'broken', still ? [...varying.moving] : [], () => 'Something that should move has stopped.'),
  ]
}

/** Squares of the page that look different, besides those that do so by themselves. */
const comparePixels = (
  live: PageSnapshot,
  varying: Varying,
  trial: PageSnapshot,
): { readonly findings: SafetyFinding[]; readonly differing: Set<string> } => {
  if (live.grid === null || trial.grid === null) return { findings: [], differing: new Set() }
  const squares = [...differingSquares(live.grid, trial.grid)]
  const differing = new Set(squares.filter((square) => !varying.squares.has(square)))
  const share = differing.size / (live.grid.columns * live.grid.rows)
  const findings = finding(
    'pixels',
    'differs',
    share > SHARE_TOLD ? [`${(share * 100).toFixed(1)}% of the page`] : [],
    () => `The page looks different in places (${(share * 100).toFixed(1)}% of it).`,
  )
  return { findings, differing }
}

/**
 * Compare a trial with live.
 * @param replaced keys of elements that a remedy has replaced by intent
 */
export const compareSnapshots = (
  live: PageSnapshot,
  varying: Varying,
  trial: PageSnapshot,
  replaced: ReadonlySet<string> = new Set(),
): Comparison => {
  const common = { varying, replaced }
  const whole = compareElements({ live: live.elements, trial: trial.elements, ...common }, '')
  const untouched = compareElements(
    { live: live.untouched, trial: trial.untouched, ...common },
    ' before the visitor interacts with the page',
  )
  const pixels = comparePixels(live, varying, trial)
  return {
    findings: [
      ...compareJourneys(live, varying, trial),
      ...compareFiles(live, varying, trial),
      ...compareBehaviour(live, varying, trial),
      ...withoutRepeats(untouched, whole),
      ...whole,
      ...pixels.findings,
    ],
    masks: boxesOf(varying.squares),
    differing: boxesOf(widened(pixels.differing, 0)),
  }
}

/** What the findings of a page come to. */
export const resultOfFindings = (findings: readonly SafetyFinding[], varying: Varying): SafetyResult => {
  if (findings.some(({ severity }) => severity === 'broken'))
    return varying.share > SHARE_UNSTEADY ? 'unsteady' : 'broken'
  if (varying.share > SHARE_UNSTEADY) return 'unsteady'
  return findings.length > 0 ? 'differs' : 'intact'
}

const RANK: Record<SafetyResult, number> = { intact: 0, differs: 1, unsteady: 2, unreachable: 3, broken: 4 }

/** The worst of several results; undefined for none. */
export const worst = (results: readonly SafetyResult[]): SafetyResult | undefined =>
  results.toSorted((a, b) => RANK[b] - RANK[a])[0]

/** A result in a sentence for the owner. */
export const safetySentence = (result: SafetyResult, findings: readonly SafetyFinding[]): string => {
  const first = (severity: SafetyFinding['severity']): string | undefined =>
    findings.find((one) => one.severity === severity)?.sentence
  switch (result) {
    case 'intact':
      return 'Looks and works the same as live.'
    case 'differs':
      return `Works, but differs: ${first('differs')} Check whether this matters to you.`
    case 'broken':
      return `Broken: ${first('broken')}`
    case 'unsteady':
      return 'This page changes on every load, so it cannot be compared. Check it yourself, and add a journey for what must work.'
    case 'unreachable':
      return `Could not be checked: ${findings[0]?.sentence ?? 'no answer.'}`
  }
}
