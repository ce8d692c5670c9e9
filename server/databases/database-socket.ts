import { connect, type Socket } from 'node:net'
import type { Duplex } from 'node:stream'
import type { DatabasePlace } from '../../core/contracts/site-databases.ts'
import { staysInOwnNetwork } from '../../core/http/private-addresses.ts'
import { connectTo, FileFailure, hostAndPort } from '../files/file-server.ts'
import { signInOverSsh } from '../files/ssh-connection.ts'
import { CONNECT_TIMEOUT_MS, DatabaseFailure, isAway, type DatabaseAccess } from './open-database.ts'

/** The way to a database: a socket, a connection, or one through an SSH server. */
export interface DatabaseWay {
  readonly stream: Duplex
  /** Name that its certificate has to be for. */
  readonly host: string
  /** As sentences name it. */
  readonly what: string
  end(): void
}

const unixSocket = (path: string): Promise<Socket> =>
  new Promise((resolve, reject) => {
    const socket = connect({ path, timeout: CONNECT_TIMEOUT_MS })
    socket.once('error', reject)
    socket.once('connect', () => {
      socket.setTimeout(0)
      resolve(socket)
    })
  })

const throughTunnel = async (
  { place, secret, reach }: DatabaseAccess,
  tunnel: NonNullable<DatabasePlace['tunnel']>,
  port: number,
): Promise<DatabaseWay> => {
  const target = hostAndPort(place.address, port)
  const client = await signInOverSsh({ ...tunnel, secret: secret.tunnel, reach })
  const stream = await new Promise<Duplex>((resolve, reject) =>
    client.forwardOut('127.0.0.1', 0, target.host, target.port, (error, channel) =>
      error === undefined
        ? resolve(channel)
        : reject(new DatabaseFailure(`The SSH server cannot reach ${target.host}:${target.port}: ${error.message}.`)),
    ),
  ).catch((error: unknown) => {
    client.end()
    throw error
  })
  return { stream, host: target.host, what: `${target.host}:${target.port}`, end: () => client.end() }
}

const reasonOf = ({ reason, cause }: FileFailure): DatabaseFailure['reason'] => {
  if (reason === 'unknown-key') return 'unknown-key'
  return isAway(cause) ? 'away' : 'failed'
}

/** Open the way to a database. @param usualPort where its kind listens @throws DatabaseFailure */
export const wayTo = async (access: DatabaseAccess, usualPort: number): Promise<DatabaseWay> => {
  const { place, reach } = access
  try {
    if (place.tunnel !== null) return await throughTunnel(access, place.tunnel, usualPort)
    if (place.socket !== '') {
      // A socket is of this machine, as a loopback address is.
      if (reach === 'refused')
        throw new DatabaseFailure(
          'A socket is on this machine. If this is intended, allow private addresses for the site.',
        )
      const stream = await unixSocket(place.socket)
      return { stream, host: 'localhost', what: place.socket, end: () => stream.destroy() }
    }
    const target = hostAndPort(place.address, usualPort)
    const what = `${target.host}:${target.port}`
    if (place.encryption === 'none' && !staysInOwnNetwork(target.host))
      throw new DatabaseFailure(
        `Others could read your password on the way to ${what}. Use TLS, or go through an SSH server.`,
      )
    const stream = await connectTo(target, reach)
    return { stream, host: target.host, what, end: () => stream.destroy() }
  } catch (error) {
    if (error instanceof FileFailure) throw new DatabaseFailure(error.message, reasonOf(error), error.fingerprint)
    throw error
  }
}
