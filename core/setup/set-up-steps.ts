/** The way of somebody who does not want to choose, one question at a time. */
export const SET_UP_STEPS = [
  { id: 'found', title: 'What we found', question: 'Is this your site, and is anything in the way?' },
  { id: 'careful', title: 'How careful', question: 'How far may Zest Lamp go?' },
  { id: 'measure', title: 'Measure', question: 'How fast do your pages open now?' },
  { id: 'try', title: 'Try', question: 'Shall these go into the trial, where no visitor sees them?' },
  { id: 'look', title: 'Look', question: 'Does the trial look and work like your site?' },
  { id: 'keep', title: 'Keep', question: 'Is it faster, and should your visitors get it?' },
] as const

export type SetUpStep = (typeof SET_UP_STEPS)[number]['id']

/** How far a site has come. */
export interface SetUpFacts {
  readonly measured: boolean
  /** How many things differ between trial and live. */
  readonly trialChanges: number
  /** Whether the trial as it is now was compared with live. */
  readonly checked: boolean
  readonly retested: boolean
}

/** Where somebody who comes back goes on: the first step that is not done. */
export const stepOf = ({ measured, trialChanges, checked, retested }: SetUpFacts): SetUpStep => {
  if (trialChanges > 0) return checked || retested ? 'keep' : 'look'
  return measured ? 'careful' : 'found'
}

/** The step behind another; undefined behind the last. */
export const stepAfter = (step: SetUpStep): SetUpStep | undefined =>
  SET_UP_STEPS[SET_UP_STEPS.findIndex(({ id }) => id === step) + 1]?.id
