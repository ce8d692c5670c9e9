import { Setup } from '../core/contracts/setup.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Site } from '../core/contracts/sites.ts'
import { withBlock } from '../core/server-rules/marked-block.ts'
import { chosenRules, rulesText } from '../core/server-rules/server-rules.ts'
import { ferryFiles } from '../e2e/ferry-copy.ts'
import { Stack } from '../e2e/stack.ts'
import { OPTIONAL, WebServer } from '../server/testing/web-servers.ts'
import { finished } from './finished.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_960
/** Loads of each, in rounds that take turns, so that a slow minute of the machine meets both. */
const ROUNDS = 3
const RUNS = 4

const RULES = rulesText(
  chosenRules(
    {
      ...{ kind: 'apache', host: null, brotli: 'there', preloads: [], leftOut: [] },
      wanted: ['compression', 'lifetimes', 'fingerprinted', 'validators', 'security'],
    },
    Setup.parse({}),
    { address: 'http://quay.example', originKey: null },
  ),
)

const median = (values: readonly number[]): number =>
  values.toSorted((one, other) => one - other)[Math.floor(values.length / 2)] ?? Number.NaN

/** The home page of the ferry site as files of a real Apache, as a phone's first visit: without rules, and with them alone. */
export const serverRulesGain: Benchmark = {
  names: ['server-rules-lcp-gain'],
  run: async () => {
    const stack = await Stack.start(PORT)
    const servers: WebServer[] = []
    try {
      const [ferry] = await stack.api<Site[]>('GET', '/sites')
      if (ferry === undefined) throw new Error('There is no site.')
      const files = await ferryFiles(ferry.address, ['/'])
      const connect = async (rules: string, name: string): Promise<Site> => {
        const server = await WebServer.apache(files, rules, OPTIONAL)
        servers.push(server)
        return stack.api<Site>('POST', '/sites', {
          ...{ name, address: `http://127.0.0.1:${server.port}`, privateAddresses: 'allowed' },
          ...{ liveHost: `${name}.localhost`, trialHost: `trial.${name}.localhost` },
          sample: [{ path: '/', kind: 'Home page' }],
        })
      }
      const sites = [await connect('', 'without'), await connect(withBlock('', RULES), 'with')]
      const lcpMs: number[][] = sites.map(() => [])
      for (let round = 0; round < ROUNDS; round++)
        for (const [at, { id, sample, visitors }] of sites.entries()) {
          const visitorIds = visitors.filter(({ device }) => device === 'phone').map((one) => one.id)
          const order = { sides: ['origin'], pageIds: sample.map((one) => one.id), visitorIds, runs: RUNS }
          const head = await stack.api<MeasurementHead>('POST', `/sites/${id}/measurements`, order)
          await finished(stack, head.jobId)
          const { results } = await stack.api<Measurement>('GET', `/sites/${id}/measurements/${head.id}`)
          lcpMs[at]?.push(...(results[0]?.sides[0]?.values.lcpMs ?? []))
        }
      const [without = Number.NaN, withRules = Number.NaN] = lcpMs.map(median)
      console.log(`main content ${without} ms without rules, ${withRules} ms with them, ${ROUNDS * RUNS} loads each`)
      return [{ name: 'server-rules-lcp-gain', value: without / withRules, unit: 'ratio', aim: null, better: 'higher' }]
    } finally {
      for (const server of servers) await server.stop()
      await stack.stop()
    }
  },
}
