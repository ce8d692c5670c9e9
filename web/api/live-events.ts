import { Changed, Job } from '../../core/contracts/jobs.ts'

export interface LiveListener {
  readonly job: (job: Job) => void
  readonly changed: (changed: Changed) => void
  /** The connection was lost and is back: anything may have changed. */
  readonly again: () => void
}

/** Listen to server-sent events; the browser connects again by itself. @returns a function that stops */
export const listenLive = ({ job, changed, again }: LiveListener): (() => void) => {
  const source = new EventSource('/api/v1/live-events')
  let opened = false
  source.addEventListener('open', () => {
    if (opened) again()
    opened = true
  })
  source.addEventListener('job', (event) => job(Job.parse(JSON.parse(event.data as string))))
  source.addEventListener('changed', (event) => changed(Changed.parse(JSON.parse(event.data as string))))
  return () => source.close()
}
