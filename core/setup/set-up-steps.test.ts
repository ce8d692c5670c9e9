import { describe, expect, test } from 'vitest'
import { SET_UP_STEPS, stepAfter, stepOf, type SetUpStep } from './set-up-steps.ts'

const nothing = { measured: false, trialChanges: 0, checked: false, retested: false }

describe('the set-up guide', () => {
  test.each<[string, Partial<typeof nothing>, SetUpStep]>([
    ['was only connected', {}, 'found'],
    ['was measured', { measured: true }, 'careful'],
    ['has something in the trial', { measured: true, trialChanges: 3 }, 'look'],
    ['has a trial that was compared with live', { measured: true, trialChanges: 3, checked: true }, 'keep'],
    ['has a trial that was retested', { measured: true, trialChanges: 3, retested: true }, 'keep'],
  ])('of a site that %s goes on where it was left', (_what, facts, step) =>
    expect(stepOf({ ...nothing, ...facts })).toBe(step),
  )
  test('asks in one order, and ends with keeping', () => {
    const way = [SET_UP_STEPS[0].id as SetUpStep]
    for (let next = stepAfter(way[0]!); next !== undefined; next = stepAfter(next)) way.push(next)
    expect(way).toEqual(SET_UP_STEPS.map(({ id }) => id))
    expect(way.at(-1)).toBe('keep')
  })
})
