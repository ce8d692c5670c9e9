import type { Context, Middleware, Next } from 'koa'
import serve from 'koa-static'
import { isInterfacePath } from '../../core/contracts/interface-paths.ts'

/** The build puts a fingerprint into the name of everything in this folder. */
const FINGERPRINTED = '/assets/'

/**
 * The interface: its files, and at the address of each view the page that shows it. Who takes Brotli or gzip gets what the build has
 * compressed; fingerprinted names hold for a year (RFC 9111, section 5.2.2.1; RFC 8246).
 * @param folder what the build made
 */
export const interfaceFiles = (folder: string): Middleware => {
  const files = serve(folder, {
    setHeaders: (res, path) =>
      res.setHeader('cache-control', path.includes(FINGERPRINTED) ? 'max-age=31536000, immutable' : 'no-cache'),
  })
  return async (ctx: Context, next: Next): Promise<void> => {
    if (ctx.method !== 'GET' && ctx.method !== 'HEAD') return next()
    if (isInterfacePath(ctx.path)) ctx.path = '/'
    // What cannot be read as the name of a file names none.
    else if (!/^(?:\/[\w.-]+)+$/.test(ctx.path)) return next()
    // Each is there in three codings (RFC 9110, section 12.5.5).
    ctx.vary('accept-encoding')
    await files(ctx, next)
  }
}
