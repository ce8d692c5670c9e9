import { z } from 'zod'
import { Calendar } from '../core/contracts/calendar.ts'
import { CleanUp, Survey, UpkeepPlan } from '../core/contracts/clean-up.ts'
import { BackupsInfo } from '../core/contracts/database-backups.ts'
import { Job } from '../core/contracts/jobs.ts'
import { PictureLibrary, PicturePlan } from '../core/contracts/picture-library.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'
import { waitForJob } from './wait-for-job.ts'

export interface UpkeepOptions {
  readonly json: boolean
  readonly all: boolean
  readonly quiet: boolean
}

const megabytes = (bytes: number): string => `${(bytes / 1e6).toFixed(2)} MB`

/** The words of a command, or how to call it. */
type Act = (base: string) => Promise<void>

const act = async (
  acts: Record<string, Act>,
  access: ApiAccess,
  [name, what = 'show', ...more]: readonly string[],
): Promise<number> => {
  const chosen = Object.hasOwn(acts, what) ? acts[what] : undefined
  if (chosen === undefined || more.length > 0)
    throw new UsageError(`Say one of ${Object.keys(acts).join(', ')} after the site.`)
  await chosen(`/sites/${(await findSite(access, name)).id}`)
  return 0
}

/** Order work and wait for it. */
const ordering = (access: ApiAccess, out: Output, path: string, what: string, body?: unknown): Act => {
  return async (base) => {
    const { id } = await callApi(access, 'POST', `${base}${path}`, Job, body)
    await waitForJob(access, id, what, out)
  }
}

const printLibrary = ({ counts, bytes, lighter, survey, delivered, plan }: PictureLibrary, out: Output): void => {
  const total = Object.values(counts).reduce((sum, one) => sum + one, 0)
  out.line(`${total} pictures, ${megabytes(bytes)}; visitors get lighter ones: ${delivered}; work ${plan.work}`)
  for (const [state, pictures] of Object.entries(counts)) if (pictures > 0) out.line(`  ${state}  ${pictures}`)
  if (lighter.before > 0) out.line(`${megabytes(lighter.before)} became ${megabytes(lighter.after)}`)
  const estimate = survey?.result?.estimate
  if (estimate !== null && estimate !== undefined && lighter.before === 0)
    out.line(`${megabytes(estimate.before)} would become about ${megabytes(estimate.after)}`)
}

/** `zest pictures`: the picture library, found, made lighter and written back. @returns the exit code @throws UsageError, CommandFailure */
export const pictures = (
  access: ApiAccess,
  words: readonly string[],
  { json, all }: UpkeepOptions,
  out: Output,
): Promise<number> => {
  const show: Act = async (base) => {
    const library = await callApi(access, 'GET', `${base}/pictures`, PictureLibrary)
    if (json) out.line(JSON.stringify(library, null, 2))
    else printLibrary(library, out)
  }
  const thenShow =
    (first: Act): Act =>
    async (base) => {
      await first(base)
      await show(base)
    }
  const work =
    (state: PicturePlan['work']): Act =>
    async (base) => {
      const { plan } = await callApi(access, 'GET', `${base}/pictures`, PictureLibrary)
      await callApi(access, 'PUT', `${base}/pictures/plan`, PicturePlan, { ...plan, work: state })
    }
  const place = (how: 'over' | 'beside' | 'back'): Act =>
    thenShow(ordering(access, out, '/pictures/placings', 'Writing pictures', { how }))
  return act(
    {
      show,
      find: thenShow(ordering(access, out, '/pictures/surveys', 'Looking for pictures')),
      lighten: thenShow(
        ordering(access, out, '/pictures/conversions', 'Making pictures lighter', { which: all ? 'all' : 'waiting' }),
      ),
      pause: work('paused'),
      continue: work('running'),
      over: place('over'),
      beside: place('beside'),
      back: place('back'),
    },
    access,
    words,
  )
}

const surveyOf = async (access: ApiAccess, base: string): Promise<Survey | null> =>
  (await callApi(access, 'GET', `${base}/database/survey`, z.object({ survey: Survey.nullable() }))).survey

const printSurvey = (survey: Survey | null, out: Output): void => {
  if (survey?.result === null || survey === null)
    throw new CommandFailure('The database has not been looked through yet: zest database SITE find.')
  for (const { group, rows, bytes, sure } of survey.result.groups)
    out.line(`${group.name}  ${rows ?? '–'} rows  ${bytes === null ? '–' : megabytes(bytes)}  ${sure}`)
}

/** `zest database`: what can go, backups, clean-ups and the way back. @returns the exit code @throws UsageError, CommandFailure */
export const database = (
  access: ApiAccess,
  words: readonly string[],
  { json, quiet }: UpkeepOptions,
  out: Output,
): Promise<number> => {
  const show: Act = async (base) => {
    const survey = await surveyOf(access, base)
    if (json) out.line(JSON.stringify(survey, null, 2))
    else printSurvey(survey, out)
  }
  const backups: Act = async (base) => {
    const known = await callApi(access, 'GET', `${base}/database/backups`, BackupsInfo)
    if (json) out.line(JSON.stringify(known.backups, null, 2))
    else
      for (const { at, stage, file, proof, media } of known.backups)
        out.line([at, stage, file, proof?.sentence, media?.sentence].filter((one) => one !== undefined).join('  '))
  }
  const cleanUp: Act = async (base) => {
    const { groups } = await callApi(access, 'GET', `${base}/database/plan`, UpkeepPlan)
    if (groups.length === 0)
      throw new CommandFailure('No groups are confirmed. Tick them under Upkeep → Database first.')
    const schemaDigest = (await surveyOf(access, base))?.result?.schemaDigest
    const start = quiet ? 'quiet-hours' : 'now'
    await ordering(access, out, '/database/clean-ups', 'The clean-up', { groups, schemaDigest, start })(base)
    const [done] = await callApi(access, 'GET', `${base}/database/clean-ups`, z.array(CleanUp))
    out.line(json ? JSON.stringify(done, null, 2) : (done?.result?.sentence ?? 'Done.'))
  }
  const back: Act = async (base) => {
    const [last] = await callApi(access, 'GET', `${base}/database/clean-ups`, z.array(CleanUp))
    if (last === undefined) throw new CommandFailure('There was no clean-up.')
    const order = { what: 'clean-up', cleanUpId: last.id }
    await ordering(access, out, '/database/restores', 'Putting rows back', order)(base)
  }
  return act(
    {
      show,
      find: async (base) => {
        await ordering(access, out, '/database/survey', 'Looking through the database')(base)
        await show(base)
      },
      backup: async (base) => {
        await ordering(access, out, '/database/backups', 'The backup')(base)
        await backups(base)
      },
      backups,
      'clean-up': cleanUp,
      back,
      media: ordering(access, out, '/database/restores', 'Putting files back', { what: 'media' }),
    },
    access,
    words,
  )
}

/** `zest calendar`: what will run by itself, and what is in the way of what. @returns the exit code @throws UsageError, CommandFailure */
export const calendar = async (
  access: ApiAccess,
  name: string | undefined,
  json: boolean,
  out: Output,
): Promise<number> => {
  const { id } = await findSite(access, name)
  const planned = await callApi(access, 'GET', `/sites/${id}/calendar`, Calendar)
  if (json) out.line(JSON.stringify(planned, null, 2))
  else {
    for (const { at, work } of planned.entries) out.line(`${at}  ${work}`)
    for (const { sentence } of planned.conflicts) out.line(`! ${sentence}`)
  }
  return 0
}
