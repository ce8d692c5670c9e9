import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, test } from 'vitest'
import { refused } from '../api/client.ts'
import { useProblems } from './problems.ts'

/** What stands in the note above the view, and how long. */

const fail = () => Promise.reject(refused('Not imported', 'Choose another file.'))
const succeed = () => Promise.resolve(3)

beforeEach(() => setActivePinia(createPinia()))

describe('the problem that is shown', () => {
  test('is what the last action met, and makes its result undefined', async () => {
    const problems = useProblems()
    expect(await problems.catching(fail)).toBeUndefined()
    expect(problems.current?.detail).toBe('Choose another file.')
  })
  test('goes when the next action succeeds', async () => {
    const problems = useProblems()
    await problems.catching(fail)
    expect(await problems.catching(succeed)).toBe(3)
    expect(problems.current).toBeNull()
  })
  test('stays when it came up within an action that goes on', async () => {
    const problems = useProblems()
    await problems.catching(async () => {
      await problems.catching(fail)
      return succeed()
    })
    expect(problems.current?.title).toBe('Not imported')
  })
  test('stays when something nobody asked for succeeds', async () => {
    const problems = useProblems()
    await problems.catching(fail)
    await problems.unasked(succeed)
    expect(problems.current?.title).toBe('Not imported')
  })
  test('is shown for what nobody foresaw too, which is also thrown on', async () => {
    const problems = useProblems()
    await expect(problems.catching(() => Promise.reject(new RangeError('odd')))).rejects.toThrow('odd')
    expect(problems.current?.code).toBe('UNEXPECTED')
  })
})
