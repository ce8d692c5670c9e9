import type { Site } from '../../core/contracts/sites.ts'
import { errors } from '../errors/app-errors.ts'

/** Pages and visitors must be ones that the site has. @throws AppError UNKNOWN_PAGE, UNKNOWN_VISITOR */
export const refuseUnknown = (
  { sample, visitors }: Pick<Site, 'sample' | 'visitors'>,
  { pageIds, visitorIds }: { readonly pageIds: readonly string[]; readonly visitorIds: readonly string[] },
): void => {
  const known = (ids: readonly string[], all: readonly { id: string }[]): boolean =>
    ids.every((id) => all.some((one) => one.id === id))
  if (!known(pageIds, sample)) throw errors.unknownPage()
  if (!known(visitorIds, visitors)) throw errors.unknownVisitor()
}
