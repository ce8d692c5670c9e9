import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setImmediate } from 'node:timers/promises'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { SimulationOrder } from '../../core/contracts/simulations.ts'
import { plannerFacts } from '../../core/planner/testing/planner-facts.ts'
import { Simulator } from './simulator.ts'

let folder: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-simulator-'))
})
afterEach(() => rm(folder, { recursive: true, force: true }))

/** @param acts what the program does with its order */
const running = async (acts: string, signal: AbortSignal, onStep: (done: number) => Promise<void>) => {
  const program = join(folder, 'program.mjs')
  await writeFile(program, `process.once('message', () => { ${acts} })`)
  const order = SimulationOrder.parse({ what: { kind: 'propose' } })
  return new Simulator(program).run({ facts: plannerFacts(), order }, signal, onStep)
}
const never = new AbortController().signal
const ignored = async (): Promise<void> => undefined

test('what comes while a step is written down is not lost', async () => {
  const acts = `for (let done = 1; done <= 40; done++) process.send({ kind: 'step', done, total: 40 })
    process.send({ kind: 'failed', sentence: 'That was all.' }, () => process.disconnect())`
  const steps: number[] = []
  const run = running(acts, never, async (done) => {
    for (let turn = 0; turn < 20; turn++) await setImmediate()
    steps.push(done)
  })
  await expect(run).rejects.toThrow('That was all.')
  expect(steps).toEqual(Array.from({ length: 40 }, (_, at) => at + 1))
})
test('a program that ends without a word is told of', async () => {
  await expect(running('process.exit(1)', never, ignored)).rejects.toThrow('stopped unexpectedly')
})
test('cancelling ends it', async () => {
  const cancel = new AbortController()
  const acts = `process.send({ kind: 'step', done: 1, total: 2 }); setInterval(() => undefined, 1000)`
  const run = running(acts, cancel.signal, async () => cancel.abort())
  await expect(run).rejects.toMatchObject({ name: 'AbortError' })
})
