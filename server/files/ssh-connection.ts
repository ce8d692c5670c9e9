import { Client } from 'ssh2'
import type { FileSecret } from '../../core/contracts/file-connections.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { connectTo, FILE_TIMEOUT_MS, FileFailure, fingerprintOf, hostAndPort, whyNot } from './file-server.ts'

const SSH_PORT = 22

export const LOST = 'The connection was lost on the way.'

/** Connections that are closed say nothing any more, not even that. */
export const closed = new WeakSet<Client>()

/** What signing in to an SSH server needs. */
export interface SshAccess {
  readonly address: string
  readonly user: string
  /** Host key that the owner has confirmed. */
  readonly fingerprint: string | null
  readonly secret: FileSecret
  readonly reach: PrivateAddresses
}

/** @throws FileFailure; with the server's key where the owner has not confirmed it */
export const signInOverSsh = async ({ address, user, fingerprint, secret, reach }: SshAccess): Promise<Client> => {
  const target = hostAndPort(address, SSH_PORT)
  const what = `${target.host}:${target.port}`
  const sock = await connectTo(target, reach)
  const client = new Client()
  let shown: string | null = null
  return new Promise((resolve, reject) => {
    client.once('ready', () => resolve(client))
    client.once('close', () => {
      closed.add(client)
      reject(new FileFailure(`${what}: ${LOST}`))
    })
    client.on('error', (error: Error & { level?: string }) => {
      if (shown !== null && shown !== fingerprint)
        return reject(
          new FileFailure(
            fingerprint === null
              ? `${what} shows a key that nobody has confirmed yet. Compare it with what your host tells you.`
              : `${what} shows another key than the one you confirmed. Ask your host whether it has changed; somebody may be in between.`,
            'unknown-key',
            shown,
          ),
        )
      if (error.level === 'client-authentication')
        return reject(new FileFailure(`${what} does not accept this user and password or key.`))
      reject(new FileFailure(whyNot(error, what)))
    })
    client.connect({
      sock,
      username: user,
      readyTimeout: FILE_TIMEOUT_MS,
      ...(secret.kind === 'password' && { password: secret.password }),
      ...(secret.kind === 'key' && { privateKey: secret.key, passphrase: secret.passphrase }),
      hostVerifier: (key: Buffer) => {
        shown = fingerprintOf(key)
        return shown === fingerprint
      },
    })
  })
}
