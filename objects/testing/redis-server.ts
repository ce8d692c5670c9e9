import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { freePort } from '../../process/loopback-port.ts'

export interface RedisServer {
  readonly port: number
  readonly stop: () => Promise<void>
  /** Have it stand still, or go on. */
  readonly signal: (name: 'SIGSTOP' | 'SIGCONT') => void
}

/** Debian's own server of the protocol, which judges ours. */
export const startRedis = async (...options: string[]): Promise<RedisServer> =>
  startRedisAt(await freePort(), ...options)

/** The same on a certain port. */
export const startRedisAt = async (port: number, ...options: string[]): Promise<RedisServer> => {
  const server = spawn(
    '/usr/bin/redis-server',
    ['--port', String(port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no', '--dir', '/tmp', ...options],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  )
  await new Promise<void>((resolve) =>
    server.stdout.on('data', (piece: Buffer) => {
      if (piece.toString().includes('Ready to accept connections')) resolve()
    }),
  )
  return {
    port,
    signal: (name) => void server.kill(name),
    stop: async () => {
      server.kill('SIGKILL')
      await once(server, 'exit')
    },
  }
}
