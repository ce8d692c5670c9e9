import { behind } from '../../core/behind.ts'
import { fieldValue } from '../../core/http/fields.ts'
import type { PictureInPage } from '../../core/page/context.ts'
import { madeDigest } from '../../core/page/files.ts'
import { inPageCandidates } from '../../core/page/pictures/expected.ts'
import type { PageOrder } from '../../core/page/rewrite.ts'
import { keyOf, storeOf, takesMainInPage, type Inquiry } from '../exchange.ts'
import type { StoredEntry } from '../store/response-store.ts'
import type { MadeFiles } from './made-files.ts'
import type { Fetch } from './materials.ts'
import type { Pictures } from './pictures.ts'

/** Take the copy of a page out of the store, and see that none that is on its way is kept: a better one can be made now. */
const takeOut = (inquiry: Inquiry): void => {
  const key = keyOf(inquiry)
  inquiry.io.flights.markPurged((flying) => flying === key)
  storeOf(inquiry).purgeKey(key)
}

/** Whether a picture as AVIF is what came of it, and small enough. */
const fits = (entry: StoredEntry, mostBytes: number): boolean =>
  fieldValue(entry.fields, 'content-type') === 'image/avif' && entry.bodies[0]!.bytes <= mostBytes

/**
 * The main picture, for a copy of a page that may hold it. Nobody waits for its conversion: until it is there pages go without, and the copy that was made
 * without it is taken out of the store then.
 */
export const mainInPage = async (
  inquiry: Inquiry,
  { address, knowledge, facts, remedies }: PageOrder,
  { made, pictures, fetch }: { made: MadeFiles; pictures: Pictures; fetch: Fetch },
): Promise<PictureInPage | undefined> => {
  if (!takesMainInPage(inquiry)) return undefined
  const { siteId, mainInPageBytes } = inquiry.route
  for (const candidate of inPageCandidates(new URL(address), knowledge, facts, remedies)) {
    const { width } = candidate
    const digest = madeDigest(candidate.made)!
    const recipe = await made.recipe(siteId, digest)
    if (recipe?.forms[0] !== 'avif') continue
    const find = () => made.picture(siteId, digest, width, 'avif')
    const entry = find()
    if (entry === undefined) {
      const converting = pictures.want({ siteId, digest, recipe, width, form: 'avif', fetch }).then(() => {
        const converted = find()
        if (converted !== undefined && fits(converted, mainInPageBytes)) takeOut(inquiry)
      })
      behind(converting, (error) => inquiry.io.report(error, { picture: candidate.made }))
      return undefined
    }
    const bytes = fits(entry, mainInPageBytes) ? await made.bytes(entry) : undefined
    if (bytes !== undefined)
      return {
        address: candidate.address,
        width,
        bytes: bytes.length,
        data: `data:image/avif;base64,${bytes.toString('base64')}`,
      }
  }
  return undefined
}
