import { writeFile } from 'node:fs/promises'
import { parseArgs } from 'node:util'
import { editSeen } from './content-systems.ts'
import { falseAlarms } from './false-alarms.ts'
import { ferryHome } from './ferry-home.ts'
import { bulk } from './bulk.ts'
import { bulkLibrary } from './bulk-library.ts'
import { connections } from './connections.ts'
import { firstVisit } from './first-visit.ts'
import { nextPagePrefetch, nextPagePrerender } from './next-page.ts'
import { edgeFarGain, edgeOverhead, edgePurge } from './edges.ts'
import { regionsExact } from './regions.ts'
import { earlyHintsGain } from './early-hints.ts'
import { objectsMemory, objectsOps } from './objects.ts'
import { objectsCurve, objectsFlood } from './objects-memory-use.ts'
import { objectsWorthBench } from './objects-worth.ts'
import { ownInterface } from './own-interface.ts'
import { plannerError } from './planner-error.ts'
import { plannerSpeed } from './planner-speed.ts'
import { warmKept } from './warm-kept.ts'
import { warmPace } from './warm-pace.ts'
import { flood } from './flood.ts'
import { guidedBench } from './guided.ts'
import { homeBytes } from './home-bytes.ts'
import { labSpread, retest } from './lab-bench.ts'
import { modelBench } from './model/model-bench.ts'
import { missOverhead } from './miss-overhead.ts'
import { rewritePageBench } from './rewrite-page.ts'
import type { BenchResult } from './results/result.ts'
import { serverPages } from './server-pages.ts'
import { serverRulesGain } from './server-rules.ts'
import { sessionsEverywhere } from './sessions.ts'
import { storeSize } from './store-size.ts'
import { recovery } from './recovery.ts'
import { purgeSlices } from './purge-slices.ts'
import { memoryUnderAttack } from './under-attack.ts'
import { upkeepBench } from './upkeep.ts'
import { processes } from './processes.ts'
import { storedPage } from './stored-page.ts'

const ALL = [
  storedPage,
  processes,
  purgeSlices,
  recovery,
  memoryUnderAttack,
  missOverhead,
  storeSize,
  flood,
  connections,
  rewritePageBench,
  bulk,
  bulkLibrary,
  homeBytes,
  modelBench,
  labSpread,
  retest,
  ferryHome,
  falseAlarms,
  guidedBench,
  sessionsEverywhere,
  editSeen,
  firstVisit,
  nextPagePrefetch,
  nextPagePrerender,
  serverRulesGain,
  serverPages,
  upkeepBench,
  warmPace,
  plannerSpeed,
  plannerError,
  warmKept,
  earlyHintsGain,
  ownInterface,
  objectsOps,
  objectsMemory,
  objectsCurve,
  objectsFlood,
  objectsWorthBench,
  edgeOverhead,
  edgePurge,
  edgeFarGain,
  regionsExact,
]

const { values, positionals } = parseArgs({ allowPositionals: true, options: { json: { type: 'string' } } })
const known = ALL.flatMap(({ names }) => names)
const unknown = positionals.filter((name) => !known.includes(name))
if (unknown.length > 0) {
  console.error(`There is no benchmark ${unknown.join(', ')}. There are: ${known.join(', ')}.`)
  process.exit(2)
}
const wanted = (name: string): boolean => positionals.length === 0 || positionals.includes(name)
/** The interval, where there is one, and whether it says enough. */
const intervalText = ({ low, high, settled }: BenchResult): string =>
  low === undefined || high === undefined
    ? ''
    : `   ${low.toFixed(2)} to ${high.toFixed(2)}${settled === false ? ', not settled' : ''}`

const aimText = ({ aim, better, value }: BenchResult): string => {
  if (aim === null) return ''
  const reached = better === 'higher' ? value >= aim : value <= aim
  return `   aim ${better === 'higher' ? 'at least' : 'at most'} ${aim}${reached ? '' : '   not reached'}`
}

const results: BenchResult[] = []
for (const benchmark of ALL) {
  if (!benchmark.names.some(wanted)) continue
  for (const result of await benchmark.run()) {
    if (!wanted(result.name)) continue
    results.push(result)
    console.log(
      `${result.name.padEnd(28)} ${result.value.toFixed(2)} ${result.unit}${aimText(result)}${intervalText(result)}`,
    )
  }
}
if (values.json !== undefined) await writeFile(values.json, `${JSON.stringify(results, null, 2)}\n`)
