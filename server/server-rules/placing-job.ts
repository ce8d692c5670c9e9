import { eq } from 'drizzle-orm'
import type { PlacingResult, Rehearsal } from '../../core/contracts/server-rules.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { answersOtherwise, notInForce, type SeenAnswer } from '../../core/server-rules/confirm-answers.ts'
import { findBlock, withBlock, withoutBlock } from '../../core/server-rules/marked-block.ts'
import { readRulesFile, rulesFileChecksum, writeRulesFile } from '../../core/server-rules/rules-file-text.ts'
import type { HasDatabase } from '../db/database.ts'
import { placings, rehearsals } from '../db/server-rules-schema.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure, type FileServer, type KeptFile } from '../files/file-server.ts'
import { withFiles } from '../files/open-files.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { writeEntry } from '../release/ledger.ts'
import { getSite } from '../sites/sites.ts'
import { askPages } from './ask-pages.ts'

type Needed = HasDatabase & HasEvents & HasAddresses & HasFileAccess & HasClock
type Row = typeof placings.$inferSelect
type Rehearsed = Pick<Rehearsal, 'choice' | 'presentChecksum' | 'rules' | 'result'>

const STEPS = 4
/** Addresses that are asked: pages first, then files of each kind. */
const MOST_ASKED = 24

/** A file that stays as it is, with the reason. */
class Unchanged extends Error {}

const result = (
  outcome: PlacingResult['outcome'],
  sentence: string,
  more: Partial<PlacingResult> = {},
): PlacingResult => ({
  ...{ outcome, sentence, holds: 'as-before', backup: null, missing: [] },
  ...more,
})

const pathsOf = (site: Site, rehearsed: Rehearsed | undefined): string[] =>
  [
    ...new Set([
      ...site.sample.map(({ path }) => path),
      ...(rehearsed?.result?.addresses ?? []).map(({ path }) => path),
    ]),
  ].slice(0, MOST_ASKED)

const hostOf = (rehearsed: Rehearsed | undefined): string | null =>
  rehearsed?.choice.wanted.includes('https') === true ? rehearsed.choice.host : null

/** What the file is to hold; undefined: nothing, so that it goes. @throws Unchanged */
const nextContent = (present: KeptFile | undefined, rehearsed: Rehearsed | undefined): Buffer | undefined => {
  const { text, coding } = readRulesFile(present?.bytes ?? Buffer.alloc(0))
  if (rehearsed !== undefined) {
    if (rulesFileChecksum(text) !== rehearsed.presentChecksum)
      throw new Unchanged(
        'The file on your server is not the one that was rehearsed. Read it from there and rehearse again.',
      )
    return Buffer.from(writeRulesFile({ text: withBlock(text, rehearsed.rules), coding }))
  }
  const found = findBlock(text)
  if (found.kind === 'unclear') throw new Unchanged(found.why)
  if (found.kind === 'none') throw new Unchanged('The file holds no rules of Zest Lamp. Nothing was changed.')
  const without = withoutBlock(text)
  return without === '' ? undefined : Buffer.from(writeRulesFile({ text: without, coding }))
}

const put = (files: FileServer, name: string, content: KeptFile | undefined): Promise<void> =>
  content === undefined ? files.remove(name) : files.write(name, content)

const stampOf = (at: Date): string => at.toISOString().replace(/[-:]/g, '').replace('T', '-').slice(0, 15)

/** What a file holds, seen over a new connection. */
const holdsNow = async (
  needed: Needed,
  siteId: string,
  name: string,
  before: KeptFile | undefined,
  after: Buffer | undefined,
): Promise<PlacingResult['holds']> => {
  try {
    const now = await withFiles(
      () => siteFiles(needed, siteId),
      (files) => files.read(name),
    )
    const is = (bytes: Buffer | undefined): boolean =>
      bytes === undefined ? now === undefined : now?.bytes.equals(bytes) === true
    if (is(before?.bytes)) return 'as-before'
    return is(after) ? 'new' : 'unknown'
  } catch (error) {
    if (error instanceof FileFailure) return 'unknown'
    throw error
  }
}

const HOLDS: Readonly<Record<PlacingResult['holds'], string>> = {
  'as-before': 'The file is as it was.',
  new: 'The file holds the new rules.',
  unknown: 'What the file holds now is not known: look at it, and put the copy beside it back where needed.',
}

/** One change of the rules file on the web server of a site. */
class Placing {
  readonly #needed: Needed
  readonly #row: Row
  readonly #site: Site
  readonly #rehearsed: Rehearsed | undefined
  readonly #paths: readonly string[]
  readonly #told: (step: number, now: string) => Promise<void>

  constructor(
    needed: Needed,
    row: Row,
    site: Site,
    rehearsed: Rehearsed | undefined,
    { report }: Pick<JobProgress, 'report'>,
  ) {
    this.#needed = needed
    this.#row = row
    this.#site = site
    this.#rehearsed = rehearsed
    this.#paths = pathsOf(site, rehearsed)
    this.#told = (step, now) => report(step, STEPS, now, null)
  }

  async run(): Promise<PlacingResult> {
    await this.#told(0, 'Asking the site as it is')
    const before = await askPages(this.#site, this.#paths)
    if ([...before.values()].every((answer) => answer === null))
      return result(
        'nothing-done',
        'Your site does not answer now, so nothing could be confirmed. Nothing was changed.',
      )
    const name = this.#row.order.file
    return withFiles(
      () => siteFiles(this.#needed, this.#site.id),
      (files) => this.#changeFile(files, name, before),
    )
  }

  async #changeFile(
    files: FileServer,
    name: string,
    before: ReadonlyMap<string, SeenAnswer | null>,
  ): Promise<PlacingResult> {
    await this.#told(1, `Reading ${name}`)
    const present = await files.read(name)
    const content = nextContent(present, this.#rehearsed)
    const backup = await this.#backUp(files, name, present)
    await this.#told(2, `Writing ${name}`)
    try {
      // Permissions stay those of the file that was there.
      await put(files, name, content === undefined ? undefined : { bytes: content, mode: present?.mode })
    } catch (error) {
      if (!(error instanceof FileFailure)) throw error
      const holds = await holdsNow(this.#needed, this.#site.id, name, present, content)
      const outcome = holds === 'as-before' ? 'nothing-done' : 'unclear'
      return result(outcome, `${error.message} ${HOLDS[holds]}`, { holds, backup })
    }
    await this.#told(3, 'Asking the site again')
    const wrong = await this.#findWrong(before)
    if (wrong === undefined) return this.#inForce(backup)
    return this.#putBack(files, name, present, content, before, { wrong, backup })
  }

  /** A copy beside the file, written down first: after a restart it says what may have happened. */
  async #backUp(files: FileServer, name: string, present: KeptFile | undefined): Promise<string | null> {
    const backup = present === undefined ? null : `${name}.zest-${stampOf(this.#needed.now())}`
    await this.#needed.db
      .update(placings)
      .set({ backup: backup ?? '' })
      .where(eq(placings.id, this.#row.id))
    if (present !== undefined && backup !== null) await files.write(backup, present)
    return backup
  }

  #wrongIn(
    before: ReadonlyMap<string, SeenAnswer | null>,
    after: ReadonlyMap<string, SeenAnswer | null>,
  ): string | undefined {
    for (const [path, answer] of after) {
      const wrong = answersOtherwise(path, before.get(path) ?? null, answer, hostOf(this.#rehearsed))
      if (wrong !== undefined) return wrong
    }
    return undefined
  }

  async #findWrong(before: ReadonlyMap<string, SeenAnswer | null>): Promise<string | undefined> {
    // Ends with the first that is wrong: every second counts then.
    const after = await askPages(this.#site, this.#paths, (seen) => this.#wrongIn(before, seen) === undefined)
    return this.#wrongIn(before, after)
  }

  async #inForce(backup: string | null): Promise<PlacingResult> {
    const seen = await askPages(this.#site, this.#paths)
    const missing = this.#rehearsed === undefined ? [] : notInForce(this.#rehearsed.result?.addresses ?? [], seen)
    const done =
      this.#rehearsed === undefined
        ? 'The rules of Zest Lamp are out of the file, and the site answers as before.'
        : 'The rules are on your server, and the site answers as before.'
    return result('in-force', `${done} ${this.#paths.length} addresses were asked.`, { holds: 'new', backup, missing })
  }

  async #putBack(
    files: FileServer,
    name: string,
    present: KeptFile | undefined,
    content: Buffer | undefined,
    before: ReadonlyMap<string, SeenAnswer | null>,
    { wrong, backup }: { readonly wrong: string; readonly backup: string | null },
  ): Promise<PlacingResult> {
    try {
      await put(files, name, present)
    } catch (error) {
      if (!(error instanceof FileFailure)) throw error
      const holds = await this.#putBackAnew(name, present, content)
      if (holds !== 'as-before')
        return result('unclear', `${wrong} ${error.message} ${HOLDS[holds]}`, { holds, backup })
    }
    const still = await this.#findWrong(before)
    const more =
      still === undefined
        ? 'The file was put back as it was, and the site answers as before.'
        : 'The file was put back as it was, but the site still answers otherwise: its rules are not the reason.'
    return result('put-back', `${wrong} ${more}`, { backup })
  }

  /** Once more, over a new connection. */
  async #putBackAnew(
    name: string,
    present: KeptFile | undefined,
    content: Buffer | undefined,
  ): Promise<PlacingResult['holds']> {
    const { id } = this.#site
    await withFiles(
      () => siteFiles(this.#needed, id),
      (files) => put(files, name, present),
    ).catch((error: unknown) => {
      if (!(error instanceof FileFailure)) throw error
    })
    return holdsNow(this.#needed, id, name, present, content)
  }

  /** After a restart in between: whatever was written is taken back, since nothing has confirmed it. */
  async goBack(backup: string): Promise<PlacingResult> {
    const name = this.#row.order.file
    return withFiles(
      () => siteFiles(this.#needed, this.#site.id),
      async (files) => {
        const kept = backup === '' ? undefined : await files.read(backup)
        const now = await files.read(name)
        // Without a copy it had not come to writing; without a name there was no file.
        const isUnchanged =
          backup !== '' ? kept === undefined || now?.bytes.equals(kept.bytes) === true : now === undefined
        if (!isUnchanged) await put(files, name, kept)
        return result(
          'put-back',
          'Zest Lamp was restarted while the file was changed. The file is as it was before; do it again.',
          {
            backup: backup === '' ? null : backup,
          },
        )
      },
    )
  }
}

const rehearsedFor = async ({ db }: HasDatabase, { order }: Row): Promise<Rehearsed | undefined> => {
  if (order.action === 'take-out') return undefined
  const [rehearsed] = await db
    .select()
    .from(rehearsals)
    .where(eq(rehearsals.id, order.rehearsalId ?? ''))
  if (rehearsed === undefined) throw new JobFailure('This rehearsal is gone. Rehearse again.')
  return rehearsed
}

const TITLES = {
  put: {
    'in-force': 'Server rules put on the web server',
    'put-back': 'Server rules put on the web server and taken back',
  },
  'take-out': {
    'in-force': 'Server rules taken out of the web server',
    'put-back': 'Server rules taken out of the web server and put back',
  },
}

/** Change the rules file on the web server of a site, confirm it from outside, and put it back where the site answers otherwise. */
export const placingJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const { db, events } = needed
    const [row] = await db.select().from(placings).where(eq(placings.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This order is gone; give it again.')
    const site = await getSite(needed, job.siteId)
    const placing = new Placing(needed, row, site, await rehearsedFor(needed, row), progress)
    const done = await (row.backup === null ? placing.run() : placing.goBack(row.backup)).catch((error: unknown) => {
      if (error instanceof Unchanged) return result('nothing-done', error.message)
      if (error instanceof FileFailure) return result('nothing-done', `${error.message} Nothing was changed.`)
      throw error
    })
    await db.update(placings).set({ result: done }).where(eq(placings.id, row.id))
    if (done.outcome === 'in-force' || done.outcome === 'put-back')
      await writeEntry(db, job.siteId, {
        kind: 'server-rules',
        title: TITLES[row.order.action][done.outcome],
        changes: [done.sentence],
        by: row.by,
        decision: 'none',
      })
    events.changed(job.siteId, 'server-rules')
    events.changed(job.siteId, 'ledger')
  }
