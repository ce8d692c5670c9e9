import { z } from 'zod'
import { Site } from '../core/contracts/sites.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'

/** The command line is not understood. */
export class UsageError extends Error {}

/** What commands write to. */
export interface Output {
  readonly line: (text: string) => void
  /** Progress; not part of the result. */
  readonly note: (text: string) => void
}

/** @throws UsageError, CommandFailure */
export const findSite = async (access: ApiAccess, name: string | undefined): Promise<Site> => {
  if (name === undefined) throw new UsageError('Name the site.')
  const sites = await callApi(access, 'GET', '/sites', z.array(Site))
  const found = sites.find((site) => [site.id, site.name, site.liveHost].includes(name))
  if (found === undefined)
    throw new CommandFailure(
      `There is no site "${name}". Connected: ${sites.map((site) => site.liveHost).join(', ') || 'none'}.`,
    )
  return found
}
