import { afterEach, expect, test, vi } from 'vitest'
import { Job } from '../../core/contracts/jobs.ts'
import { useJobs } from '../stores/jobs.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { mounted, press, textOf } from '../testing/mounted.ts'
import HabitsPanel from './HabitsPanel.vue'

afterEach(() => vi.unstubAllGlobals())

const path = `/sites/${aSite().id}/habits`
const look = (state: Job['state'], error: string | null = null): Job =>
  Job.parse({
    ...{
      id: 'look1',
      siteId: aSite().id,
      kind: 'habits-look',
      title: 'Looking at the site from outside',
      state,
      error,
    },
    ...{ subjectId: aSite().id, done: 3, total: 12, now: 'How long / takes', msLeft: null },
    ...{ createdAt: '2026-05-01T09:00:00Z', finishedAt: state === 'running' ? null : '2026-05-01T09:00:05Z' },
  })
const FOUND = {
  at: '2026-05-01T09:00:05Z',
  seen: [{ topic: 'server', sentence: 'The server is Bollard 2.1.', evidence: ['Server: Bollard/2.1'], seconds: null }],
}

test('a look from outside is ordered, and what it found is shown once it has ended', async () => {
  let habits: typeof FOUND | null = null
  answering({ [`GET ${path}`]: () => ({ habits }), [`POST ${path}/looks`]: look('running') })
  const host = mounted(HabitsPanel, { site: aSite(), answers: {} })
  await press(host, 'Look from outside')
  await vi.waitFor(() => expect(useJobs().open).toHaveLength(1))
  expect(host.querySelector('[aria-label="Under way"]')).not.toBeNull()
  expect(textOf(host)).not.toContain('Bollard')
  habits = FOUND
  useJobs().take(look('done'))
  await vi.waitFor(() => expect(textOf(host)).toContain('The server is Bollard 2.1.'))
  expect(textOf(host)).toContain('Look again')
})
test('a look that failed says why, and what was found before stays', async () => {
  answering({ [`GET ${path}`]: { habits: FOUND } })
  const host = mounted(HabitsPanel, { site: aSite(), answers: {} })
  useJobs().take(look('failed', 'The server of the site did not answer for /.'))
  await vi.waitFor(() => expect(textOf(host)).toContain('The server of the site did not answer for /.'))
  await vi.waitFor(() => expect(textOf(host)).toContain('The server is Bollard 2.1.'))
})
