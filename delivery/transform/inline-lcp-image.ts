import { inBackground } from '../../core/in-background.ts'
import { fieldValue } from '../../core/http/fields.ts'
import type { InlinePicture } from '../../core/page/context/rewrite-context.ts'
import { madeDigest } from '../../core/page/context/file-facts.ts'
import { inlineImageChoices } from '../../core/page/pictures/expected-widths.ts'
import type { PageOrder } from '../../core/page/rewrite.ts'
import { keyOf, takesInlineLcpImage } from '../cache-keys/partitions.ts'
import { type FetchContext, storeOf } from '../fetch/fetch-context.ts'
import { plainBody, type StoredEntry } from '../store/response-store.ts'
import type { GeneratedAssets } from './generated-assets.ts'
import type { Fetch } from './subresource-facts.ts'
import type { Pictures } from './pictures.ts'

/** Take the copy of a page out of the store, and see that none that is on its way is kept: a better one can be made now. */
const takeOut = (context: FetchContext): void => {
  const key = keyOf(context)
  context.io.inFlight.markPurged((flying) => flying === key)
  storeOf(context).purgeKey(key)
}

/** Whether a picture as AVIF is what came of it, and small enough. */
const fits = (entry: StoredEntry, mostBytes: number): boolean =>
  fieldValue(entry.fields, 'content-type') === 'image/avif' && plainBody(entry).bytes <= mostBytes

/**
 * The main picture, for a copy of a page that may hold it. Nobody waits for its conversion: until it is there pages go without, and the copy that was made
 * without it is taken out of the store then.
 */
export const inlineLcpImage = async (
  context: FetchContext,
  { address, knowledge, facts, remedies }: PageOrder,
  { made, pictures, fetch }: { made: GeneratedAssets; pictures: Pictures; fetch: Fetch },
): Promise<InlinePicture | undefined> => {
  if (!takesInlineLcpImage(context)) return undefined
  const { siteId, inlineLcpImageBytes } = context.route
  for (const candidate of inlineImageChoices(new URL(address), knowledge, facts, remedies)) {
    const { width } = candidate
    const digest = madeDigest(candidate.made)!
    const recipe = await made.recipe(siteId, digest)
    if (recipe?.forms[0] !== 'avif') continue
    const find = () => made.picture(siteId, digest, width, 'avif')
    const entry = find()
    if (entry === undefined) {
      const converting = pictures.want({ siteId, digest, recipe, width, form: 'avif', fetch }).then(() => {
        const converted = find()
        if (converted !== undefined && fits(converted, inlineLcpImageBytes)) takeOut(context)
      })
      inBackground(converting, (error) => context.io.report(error, { picture: candidate.made }))
      return undefined
    }
    const bytes = fits(entry, inlineLcpImageBytes) ? await made.bytes(entry) : undefined
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
