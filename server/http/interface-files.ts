import type { Context, Middleware, Next } from 'koa'
import sirv from 'sirv'
import { isInterfacePath } from '../../core/contracts/interface-paths.ts'

/** The build puts a fingerprint into the name of everything in this folder. */
const FINGERPRINTED = '/assets/'

/**
 * The interface: its files, and at the address of each view the page that shows it. Who takes Brotli or gzip gets what the build has
 * compressed; fingerprinted names hold for a year (RFC 9111, section 5.2.2.1; RFC 8246).
 * @param folder what the build made
 */
export const interfaceFiles = (folder: string): Middleware => {
  const files = sirv(folder, {
    // Looked for on disk each time: an interface that is built again is served without a restart.
    dev: true,
    brotli: true,
    gzip: true,
    etag: true,
    setHeaders: (res, path) =>
      res.setHeader('cache-control', path.includes(FINGERPRINTED) ? 'max-age=31536000, immutable' : 'no-cache'),
  })
  return async (ctx: Context, next: Next): Promise<void> => {
    if (ctx.method !== 'GET' && ctx.method !== 'HEAD') return next()
    // What cannot be read as the name of a file names none.
    if (!isInterfacePath(ctx.path) && !/^(?:\/[\w.-]+)+$/.test(ctx.path)) return next()
    const asked = ctx.req.url
    if (isInterfacePath(ctx.path)) ctx.req.url = '/'
    // Each is there in three codings (RFC 9110, section 12.5.5).
    ctx.vary('accept-encoding')
    const found = await new Promise<'served' | 'none'>((resolve) => {
      ctx.res.once('close', () => resolve('served'))
      files(ctx.req, ctx.res, () => resolve('none'))
    })
    if (found === 'served') {
      ctx.respond = false
      return
    }
    ctx.req.url = asked
    await next()
  }
}
