import type { Suspect } from '../contracts/culprit.ts'
import type { PageChange } from '../contracts/page-changes.ts'
import type { RemedyException } from '../contracts/rewriting.ts'
import { Setup, type RemedyId } from '../contracts/setup.ts'
import { originalPath } from '../page/context/file-facts.ts'
import { optionsOf, takesExceptions } from '../catalogue/guides.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import { remedyName } from '../catalogue/remedy-names.ts'
import { upTo } from '../http/up-to.ts'

/** The same for the same suspect. */
export const suspectName = (suspect: Suspect): string => {
  switch (suspect.kind) {
    case 'remedy':
      return suspect.remedy
    case 'part':
      return `${suspect.remedy}.${suspect.option}`
    case 'exception':
      return `${suspect.remedy} ${suspect.by} ${suspect.value}`
  }
}

const optionLabel = (id: string, key: string): string =>
  optionsOf(id as RemedyId).find((option) => option.key === key)?.label ?? key

/** What leaving it out means, in words. */
export const suspectSentence = (suspect: Suspect): string => {
  const name = remedyName(suspect.remedy)
  switch (suspect.kind) {
    case 'remedy':
      return `${name} as a whole`
    case 'part':
      return `${name}: ${optionLabel(suspect.remedy, suspect.option)}`
    case 'exception':
      return `${name}: ${suspect.value}`
  }
}

/** Remedies that are on in trial and set otherwise than live. */
export const suspectRemedies = (live: Setup, trial: Setup): Suspect[] =>
  REMEDIES.filter(
    ({ id }) => trial.remedies[id].enabled && JSON.stringify(trial.remedies[id]) !== JSON.stringify(live.remedies[id]),
  ).map(({ id }) => ({ kind: 'remedy', remedy: id }))

const isFile = (item: string): boolean => /^(\/(?!\/)|https?:\/\/)/.test(item)

/** Files are named as exceptions name them: without version and without our digest. */
const fileOf = (item: string): string => {
  const path = upTo(item, '?')
  return path.startsWith('/') ? originalPath(path) : path
}

/**
 * What of some remedies can be left out by itself: the files and other things they changed on a page, and their switches.
 * @param changes what the remedies did to the page @param path of the page
 */
export const suspectDetails = (
  remedies: readonly string[],
  changes: readonly PageChange[],
  setup: Setup,
  path: string,
): Suspect[] => {
  const details = new Map<string, Suspect>()
  const add = (suspect: Suspect): void => void details.set(suspectName(suspect), suspect)
  for (const id of remedies as RemedyId[]) {
    if (takesExceptions(id))
      for (const { remedy, kind, item } of changes)
        if (remedy === id && kind === 'changed' && isFile(item) && item !== path)
          add({ kind: 'exception', remedy: id, by: 'file', value: fileOf(item) })
    const settings: Readonly<Record<string, unknown>> = setup.remedies[id]
    for (const { key, input } of optionsOf(id))
      if (input.kind === 'switch' && settings[key] === true) add({ kind: 'part', remedy: id, option: key })
  }
  return [...details.values()]
}

/**
 * A trial with suspects left out: remedies as they are live, parts switched off, files as exceptions.
 * @param reason written beside each exception
 */
export const withoutSuspects = (trial: Setup, live: Setup, suspects: readonly Suspect[], reason: string): Setup => {
  const remedies: Record<string, Record<string, unknown>> = { ...trial.remedies }
  for (const suspect of suspects) {
    const { remedy } = suspect
    if (suspect.kind === 'remedy') remedies[remedy] = live.remedies[remedy as RemedyId]
    else if (suspect.kind === 'part') remedies[remedy] = { ...remedies[remedy], [suspect.option]: false }
    else {
      const { by, value } = suspect
      const exceptions = (remedies[remedy]?.['exceptions'] ?? []) as RemedyException[]
      if (!exceptions.some((one) => one.by === by && one.value === value))
        remedies[remedy] = {
          ...remedies[remedy],
          exceptions: [...exceptions, { by, value, reason: reason.slice(0, 300) }],
        }
    }
  }
  return Setup.parse({ ...trial, remedies })
}

/** The exceptions among suspects, as the ledger tells them. @param reason why they were left out */
export const exceptionsAmong = (
  suspects: readonly Suspect[],
  reason: string,
): { remedy: string; exception: RemedyException }[] =>
  suspects.flatMap((one) =>
    one.kind === 'exception'
      ? [{ remedy: one.remedy, exception: { by: one.by, value: one.value, reason: reason.slice(0, 300) } }]
      : [],
  )
