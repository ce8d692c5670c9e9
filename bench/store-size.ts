import { fork } from 'node:child_process'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { cacheKey } from '../core/cache/cache-key.ts'
import { epochMs, seconds } from '../core/time.ts'
import { digestOf, headerText } from '../delivery/store/entry-file.ts'
import { Journal } from '../delivery/store/journal.ts'
import type { StoredEntry } from '../delivery/store/response-store.ts'
import { createHash } from 'node:crypto'
import type { Benchmark } from './results/result.ts'

const ENTRIES = 100_000

/** A page as a content system sends it, stored in three codings. */
const entryOf = (i: number, body: Buffer): StoredEntry => {
  const key = cacheKey('site/live', 'http', 'www.orrin-sound.example', `/stories/a-day-at-quay-number-${i}`)
  return {
    key,
    id: createHash('sha256').update(key).digest('hex').slice(0, 32),
    status: 200,
    fields: [
      ['content-type', 'text/html; charset=utf-8'],
      ['cache-control', 'public, max-age=600'],
      ['vary', 'accept-encoding'],
      ['server', 'quay/2.4'],
      ['x-frame-options', 'SAMEORIGIN'],
      ['referrer-policy', 'strict-origin-when-cross-origin'],
      ['etag', `"${digestOf(Buffer.from(String(i)))}"`],
      ['date', new Date(1_790_000_000_000 + i * 1000).toUTCString()],
    ],
    requestTime: epochMs(1_790_000_000_000 + i),
    responseTime: epochMs(1_790_000_000_200 + i),
    correctedInitialAge: seconds(0.2),
    nominated: [],
    bodies: (['identity', 'br', 'gzip'] as const).map((coding) => ({
      coding,
      bytes: body.length,
      digest: digestOf(Buffer.from(`${i}${coding}`)),
    })),
  }
}

/** Bodies are short, since opening does not read them; everything else is as large as in use. */
const fill = async (folder: string): Promise<void> => {
  const body = Buffer.from('x')
  const entries = Array.from({ length: ENTRIES }, (_, i) => entryOf(i, body))
  for (let from = 0; from < ENTRIES; from += 200)
    await Promise.all(
      entries
        .slice(from, from + 200)
        .map((entry) => writeFile(join(folder, `${entry.id}.entry`), `${headerText(entry)}\nxxx`)),
    )
  const failed = (error: Error): never => {
    throw error
  }
  const journal = new Journal(
    join(folder, 'journal'),
    failed,
    () => entries,
    () => entries.length,
  )
  await journal.restart(entries)
  await journal.close()
}

const open = (folder: string): Promise<{ openedMs: number; bytes: number; entries: number }> =>
  new Promise((resolve, reject) => {
    const child = fork(join(import.meta.dirname, 'store-opener.mjs'), [folder], { execArgv: ['--expose-gc'] })
    child.once('message', (told) => resolve(told as never))
    child.once('error', reject)
    child.once('exit', (code) => (code === 0 ? undefined : reject(new Error(`The opener ended with ${code}.`))))
  })

/** Time to open a store of 100,000 entries, and the memory each entry takes. */
export const storeSize: Benchmark = {
  names: ['start-100k-s', 'memory-per-entry-b'],
  run: async () => {
    const folder = await mkdtemp(join(tmpdir(), 'zest-entries-'))
    try {
      await fill(folder)
      const { openedMs, bytes, entries } = await open(folder)
      if (entries !== ENTRIES) throw new Error(`Only ${entries} of ${ENTRIES} entries were taken in.`)
      return [
        { name: 'start-100k-s', value: openedMs / 1000, unit: 's', aim: 3, better: 'lower' },
        { name: 'memory-per-entry-b', value: bytes / ENTRIES, unit: 'bytes', aim: 1500, better: 'lower' },
      ]
    } finally {
      await rm(folder, { recursive: true, force: true })
    }
  },
}
