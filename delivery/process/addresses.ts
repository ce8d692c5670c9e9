import type { Server } from 'node:net'

/** Exit code for a cause that starting again will not fix (sysexits.h: EX_CONFIG). */
export const EXIT_CONFIG = 78

/** Where visitors reach delivery. */
export interface PublicAddresses {
  readonly host: string
  readonly port: number
  readonly securePort: number
  /** Where a load balancer or a port mapping stands in front, visitors see other ports than the ones listened on. */
  readonly publicPorts: { readonly http: number; readonly https: number }
}

/** As the environment says. */
export const publicAddresses = (env: NodeJS.ProcessEnv): PublicAddresses => {
  const port = Number(env['ZEST_PORT'] ?? 8400) + 10
  return {
    host: env['ZEST_DELIVERY_ADDRESS'] ?? '127.0.0.1',
    port,
    securePort: port + 1,
    publicPorts: {
      http: Number(env['ZEST_PUBLIC_HTTP_PORT'] ?? port),
      https: Number(env['ZEST_PUBLIC_HTTPS_PORT'] ?? port + 1),
    },
  }
}

export const listen = (
  server: Server,
  where: { port: number; host: string } | { path: string; exclusive: true },
): Promise<void> =>
  new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(where, resolve)
  })

/** Listen for visitors, or say what is in the way and end. */
export const listenPublicly = (server: Server, host: string, port: number): Promise<void> =>
  listen(server, { port, host }).catch((error: NodeJS.ErrnoException) => {
    console.error(
      error.code === 'EADDRINUSE'
        ? `Port ${port} is taken by another program. Stop it, or start Zest Lamp with another ZEST_PORT (delivery uses ZEST_PORT + 10 and + 11).`
        : `Delivery cannot listen on port ${port}: ${error.message}`,
    )
    process.exit(EXIT_CONFIG)
  })
