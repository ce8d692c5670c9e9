import { fork } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { z } from 'zod'
import type { CleanUp, SurveyResult } from '../core/contracts/clean-up.ts'
import type { Backup } from '../core/contracts/database-backups.ts'
import type { Job } from '../core/contracts/jobs.ts'
import type { Site } from '../core/contracts/sites.ts'
import { withDatabase } from '../server/databases/open-database-at.ts'
import { startDatabaseServer } from '../server/testing/database-servers.ts'
import { neglectedContents } from '../server/testing/neglected-content.ts'
import { ServerBench } from '../server/testing/server-bench.ts'
import { ownScratch } from '../server/upkeep/scratch-database.ts'
import type { Benchmark } from './results/result.ts'

/** Of the neglected database: about 85,000 rows. */
const SCALE = 100
/** Page views a second, each with six queries. */
const PER_SECOND = 40
const QUIET_MS = 25_000
const WARMING_MS = 5000

/** Requests that are looked at together: about five seconds of them. */
const WINDOW = 200

const quantile = (values: readonly number[], share: number): number =>
  values.toSorted((a, b) => a - b)[Math.floor(values.length * share)] ?? Number.NaN

/** The 99th percentile of each few seconds, the median of them: one hiccup of the machine is not the clean-up's. */
const p99 = (values: readonly number[]): number =>
  quantile(
    Array.from({ length: Math.max(1, Math.floor(values.length / WINDOW)) }, (_, at) =>
      quantile(values.slice(at * WINDOW, (at + 1) * WINDOW), 0.99),
    ),
    0.5,
  )

const secondsOf = ({ createdAt, finishedAt }: Job): number =>
  (Date.parse(finishedAt ?? createdAt) - Date.parse(createdAt)) / 1000

/** A neglected database on a real PostgreSQL under a site in use: backed up with proof, and cleaned up. */
export const upkeepBench: Benchmark = {
  names: ['backup-mb-per-s', 'upkeep-rows-per-s', 'upkeep-site-p99-vs-quiet'],
  run: async () => {
    const server = await startDatabaseServer('postgresql')
    const bench = await ServerBench.open()
    const backups = mkdtempSync(join(tmpdir(), 'zest-backups-'))
    const place = await server.newDatabase('leaflets')
    await withDatabase(
      () => server.open(place),
      async (db) => {
        for (const statement of neglectedContents('postgresql', new Date(), SCALE)[0]?.statements ?? [])
          await db.run(statement)
        await db.run('create index remarks_leaflet on remarks (leaflet_no)')
        await db.run('vacuum analyze')
      },
    )
    const connection = `postgres://${place.user}:${encodeURIComponent(server.password)}@${place.address}/${place.database}`
    const site = fork(join(import.meta.dirname, 'database-site.mjs'), [
      JSON.stringify({ connection, perSecond: PER_SECOND }),
    ])
    const [said] = await once(site, 'message')
    const { base } = z.object({ base: z.string() }).parse(said)
    const waits = async (): Promise<number[]> => {
      site.send('waits')
      const [answer] = await once(site, 'message')
      return z.object({ waits: z.array(z.number()) }).parse(answer).waits
    }
    const call = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
      const answer = await bench.call(method, path, body)
      if (answer.status >= 300) throw new Error(JSON.stringify(answer.body))
      return answer.body as T
    }
    try {
      Object.assign(bench.scratch, ownScratch(join(import.meta.dirname, 'scratch-database.mjs')))
      bench.siteFolders.push(backups)
      const connected = await call<Site>('POST', '/sites', {
        ...{ address: base, name: 'Leaflets', privateAddresses: 'allowed' },
        ...{
          liveHost: 'leaflets.localhost',
          trialHost: 'trial.leaflets.localhost',
          sample: [{ path: '/', kind: 'Home page' }],
        },
      })
      const path = `/sites/${connected.id}/database`
      await call('PUT', `${path}/connection`, { place, secret: { password: server.password }, allows: 'clean-up' })
      await call('PUT', `${path}/backup-place`, {
        place: { protocol: 'folder', folder: backups },
        secret: { kind: 'none' },
      })
      const ordered = async (what: string, body?: unknown): Promise<Job> => {
        const { id } = await call<Job>('POST', `${path}/${what}`, body)
        await bench.services.jobs.idle()
        const job = await call<Job>('GET', `/jobs/${id}`)
        if (job.state !== 'done') throw new Error(job.error ?? job.state)
        return job
      }
      await ordered('survey')
      const { survey } = await call<{ survey: { result: SurveyResult } }>('GET', `${path}/survey`)
      const backup = await ordered('backups')
      const [written] = (await call<{ backups: Backup[] }>('GET', `${path}/backups`)).backups
      await pause(WARMING_MS)
      await waits()
      await pause(QUIET_MS)
      const quiet = await waits()
      const groups = survey.result.groups.filter(({ problem, rows }) => problem === null && (rows ?? 0) > 0)
      const startedAt = performance.now()
      await ordered('clean-ups', {
        groups: groups.map(({ group }) => group),
        schemaDigest: survey.result.schemaDigest,
        start: 'now',
      })
      const tookS = (performance.now() - startedAt) / 1000
      const busy = await waits()
      const [done] = await call<CleanUp[]>('GET', `${path}/clean-ups`)
      await pause(QUIET_MS)
      const after = await waits()
      console.log(
        `${done?.result?.removed ?? 0} rows in ${tookS.toFixed(1)} s; 99th percentile of pages: quiet ${p99(quiet).toFixed(1)} ms, meanwhile ${p99(busy).toFixed(1)} ms, afterwards ${p99(after).toFixed(1)} ms; ${done?.result?.sentence ?? ''}`,
      )
      return [
        {
          name: 'backup-mb-per-s',
          value: (written?.plainBytes ?? 0) / 1e6 / secondsOf(backup),
          unit: 'MB/s',
          aim: null,
          better: 'higher',
        },
        {
          name: 'upkeep-rows-per-s',
          value: (done?.result?.removed ?? 0) / tookS,
          unit: 'rows/s',
          aim: null,
          better: 'higher',
        },
        {
          name: 'upkeep-site-p99-vs-quiet',
          value: p99(busy) / p99([...quiet, ...after]),
          unit: '×',
          aim: 1.3,
          better: 'lower',
        },
      ]
    } finally {
      site.kill('SIGKILL')
      await bench.close()
      await server.stop()
      rmSync(backups, { recursive: true, force: true })
    }
  },
}
