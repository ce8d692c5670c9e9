import { inBackground } from '../../core/in-background.ts'
import { fieldValue } from '../../core/http/fields.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { madeDigest, originalPath } from '../../core/page/context/file-facts.ts'
import { acceptedForms } from '../../core/page/pictures/widths.ts'
import { seconds } from '../../core/time.ts'
import type { RequestContext } from './request-context.ts'
import type { Route } from '../request/routes.ts'
import type { StoredEntry } from '../store/response-store.ts'
import type { PictureRecipe } from '../transform/generated-assets.ts'
import { digestOf } from './lighter-picture.ts'
import { sendHeld, sendStored } from './send-stored.ts'
import { upTo } from '../../core/http/up-to.ts'

export const YEAR_S = 31_536_000

/** Routes that say nothing of lifetimes to browsers, by route: what stands in for a file must not be kept in its place. */
const withoutLifetimes = new WeakMap<Route, Route>()
const silentRoute = (route: Route): Route => {
  const known = withoutLifetimes.get(route)
  if (known !== undefined) return known
  const silent = { ...route, browserLifetimes: undefined }
  withoutLifetimes.set(route, silent)
  return silent
}

/** The origin's file behind an address made here, asked for in the normal way. @param target path and query */
const standIn = (context: RequestContext, target: string): RequestContext => {
  const path = upTo(target, '?')
  return {
    ...context,
    standsIn: true,
    route: silentRoute(context.route),
    target,
    path,
    rule: context.route.ruleFor(path),
  }
}

/** Path and query of an address of the site that we have written ourselves. */
const targetOf = (address: string): string => {
  const { pathname, search } = new URL(address, 'http://site')
  return pathname + search
}

/** A file made here that is at hand, to be sent as it is; undefined for pictures, of which there are several forms. */
export const generatedFile = ({ io, route, path }: RequestContext): StoredEntry | undefined => {
  const digest = madeDigest(path)
  return digest === undefined || WIDTH.test(path) ? undefined : io.rewriter.made.file(route.siteId, digest)
}

/** What it is stored under. */
export const generatedFileKey = ({ io, route, path }: RequestContext): CacheKey | undefined => {
  const digest = madeDigest(path)
  return digest === undefined || WIDTH.test(path) ? undefined : io.rewriter.made.fileKey(route.siteId, digest)
}

const send = async (context: RequestContext, entry: StoredEntry): Promise<boolean> =>
  sendStored(context, entry, { kind: 'hit', ttl: seconds(YEAR_S) }, seconds(0))

const WIDTH = /\.w(\d{1,5})\.z[0-9a-f]{19}/

/** Send what Upkeep has made of the same source, where it has the width that is asked for. It is not stored: the owner may leave it out again. */
const sendPrepared = async (
  context: RequestContext,
  digest: string,
  { source, form }: PictureRecipe,
  width: number,
): Promise<boolean> => {
  const { io, route, fields } = context
  if (route.rewriting?.remedies.images.prepared !== true || io.prepared?.has(route.siteId, source) !== true)
    return false
  const accept = fieldValue(fields, 'accept')
  const chosen = await io.prepared.lightest(route.siteId, source, { own: form, accept, width })
  if (chosen === undefined) return false
  const entry = io.rewriter.made.unstored(route.siteId, digest, { width, ...chosen, digest: digestOf(chosen.bytes) })
  sendHeld(context, entry, chosen.bytes, { kind: 'hit', ttl: seconds(YEAR_S) }, seconds(0))
  return true
}

/** A picture in the best form that is there; the best there could be is ordered, for the next visitor. */
const sendPicture = async (context: RequestContext, digest: string): Promise<RequestContext | 'sent'> => {
  const { io, route, path, fields } = context
  const { made, pictures } = io.rewriter
  const recipe = await made.recipe(route.siteId, digest)
  const width = Number(WIDTH.exec(path)?.[1])
  // Only widths that were offered: nobody can keep the machine busy with others.
  if (recipe === undefined || !recipe.widths.includes(width)) return standIn(context, originalPath(path))
  if (await sendPrepared(context, digest, recipe, width)) return 'sent'
  const forms = acceptedForms(fieldValue(fields, 'accept'), recipe.forms)
  const { entry, better } = pictures.best(route.siteId, digest, width, forms)
  if (better !== undefined && route.rewriting !== undefined)
    inBackground(
      pictures.want({
        siteId: route.siteId,
        digest,
        recipe,
        width,
        form: better,
        fetch: io.rewriter.fetcher(context),
      }),
      (error) => io.report(error, { picture: recipe.address }),
    )
  if (entry !== undefined && (await send(context, entry))) return 'sent'
  return standIn(context, targetOf(recipe.address))
}

/**
 * Answer a request for a file made here.
 * @returns 'sent', or the exchange to go on with: what is not there (any more, or yet) is answered with the origin's file
 */
export const sendGeneratedAsset = async (context: RequestContext): Promise<RequestContext | 'sent'> => {
  const { io, route, path } = context
  const digest = madeDigest(path)!
  const entry = io.rewriter.made.file(route.siteId, digest)
  if (entry !== undefined) return (await send(context, entry)) ? 'sent' : standIn(context, originalPath(path))
  return sendPicture(context, digest)
}

/** Whether a request may be for a file made here; also when nothing is rewritten any more, since pages in browsers still name such files. */
export const mayBeMade = ({ method, path, route }: RequestContext): boolean =>
  // What home has made is home's to give: an edge asks for it by its own address.
  (method === 'GET' || method === 'HEAD') && route.home === undefined && madeDigest(path) !== undefined
