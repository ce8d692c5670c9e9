import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { RuleId, RulesKind } from '../core/contracts/server-rules.ts'
import { Setup } from '../core/contracts/setup.ts'
import { dayFile, goodDays, pageFile } from '../core/server-rules/page-file-names.ts'
import { chosenRules, rulesText } from '../core/server-rules/server-rules.ts'
import { median } from '../core/stats/median.ts'
import { epochMs } from '../core/time.ts'
import { OPTIONAL, WebServer } from '../server/testing/web-servers.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import { ratioOf } from './ratio.ts'
import type { Benchmark } from './results/result.ts'
import { PAGE } from './stored-page.ts'
import { load } from './wrk.ts'

const PORT = 19_680
const TURNS = 12

const rules = (kind: RulesKind, wanted: RuleId[]): string =>
  rulesText(
    chosenRules({ kind, wanted, host: null, brotli: 'there', preloads: [], leftOut: [] }, Setup.parse({}), {
      address: `http://${HOST.split(':', 1)[0] ?? HOST}`,
      originKey: null,
    }),
  )

const warm = async (server: WebServer): Promise<void> => {
  const { headers, body } = await server.ask('/', { host: HOST, 'accept-encoding': 'br' })
  if (headers['cache-control'] !== 'no-cache' || headers['content-encoding'] === undefined || body.length === 0)
    throw new Error(`The page is not handed out from its file: ${JSON.stringify(headers)}`)
}

/** Requests per second of one stored page: handed out by the owner's web server by our rules, to delivery, measured in turn. */
export const serverPages: Benchmark = {
  names: ['stored-page-by-server-vs-delivery', 'stored-page-by-nginx-vs-delivery'],
  run: async () => {
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE))
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const delivery = await startDelivery(PORT, configFor((origin.address() as AddressInfo).port))
    const days = goodDays(epochMs(Date.now())).map((day): [string, string] => [dayFile(day), 'good'])
    const files = { 'index.html': 'not from its file', [pageFile('/') ?? '']: PAGE, ...Object.fromEntries(days) }
    const servers = [
      await WebServer.apache(files, rules('apache', ['compression', 'storedPages']), OPTIONAL),
      await WebServer.nginx(files, rules('nginx', ['compression']), rules('nginx-site', ['storedPages'])),
    ]
    try {
      for (const server of servers) await warm(server)
      for (const port of [PORT + 10, ...servers.map((one) => one.port)]) await load(port)
      const turns: number[][] = servers.map(() => [])
      const seen: number[][] = [[], [], []]
      for (let turn = 0; turn < TURNS; turn++) {
        const { rps: ours } = await load(PORT + 10)
        seen[2]?.push(ours)
        for (const [at, { port }] of servers.entries()) {
          const { rps } = await load(port)
          seen[at]?.push(rps)
          turns[at]?.push(rps / ours)
        }
      }
      const [apache, nginx, own] = seen.map((rps) => Math.round(median(rps)))
      console.log(`requests a second: Apache ${apache}, nginx ${nginx}, delivery ${own}`)
      const result = (name: string, ratios: readonly number[] = []) =>
        ({ name, ...ratioOf(ratios), unit: 'ratio', aim: null, better: 'higher' }) as const
      return [
        result('stored-page-by-server-vs-delivery', turns[0]),
        result('stored-page-by-nginx-vs-delivery', turns[1]),
      ]
    } finally {
      for (const server of servers) await server.stop()
      await delivery.stop()
      origin.close()
      origin.closeAllConnections()
    }
  },
}
