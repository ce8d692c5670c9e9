import { chmod, readFile, writeFile } from 'node:fs/promises'
import { z } from 'zod'
import { Joined } from '../../core/contracts/edges.ts'
import { askControl, jsonOf } from './ask-control.ts'

/** What an edge keeps of having joined. */
export const Membership = z.object({
  url: z.string(),
  certificate: z.string().optional(),
  edgeId: z.string(),
  name: z.string(),
  key: z.string(),
})
export type Membership = z.infer<typeof Membership>

const JOIN_TIMEOUT_MS = 30_000

/** @returns undefined when this machine has not joined yet @throws Error when the file cannot be read */
export const readMembership = async (path: string): Promise<Membership | undefined> => {
  const text = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return undefined
    throw error
  })
  return text === undefined ? undefined : Membership.parse(JSON.parse(text))
}

/**
 * Join control as an edge. The token says by what certificate control is known, where no authority vouches for it.
 * @param trusted certificates of private authorities, PEM
 * @throws ControlRefused when the token does not work, OtherCertificate, or Error of the connection
 */
export const joinControl = async (address: string, given: string, trusted?: string): Promise<Membership> => {
  const { origin: url } = new URL(address)
  const [token = '', certificate] = given.trim().split('.')
  const control = { url, certificate, trusted }
  const answer = await askControl(control, {
    method: 'POST',
    path: '/edge-joins',
    body: { token },
    timeoutMs: JOIN_TIMEOUT_MS,
  })
  return { url, ...(certificate === undefined ? {} : { certificate }), ...Joined.parse(await jsonOf(answer)) }
}

/** For the user of this process only: the key opens what sites are set up with. */
export const saveMembership = async (path: string, membership: Membership): Promise<void> => {
  await writeFile(path, JSON.stringify(membership), { mode: 0o600 })
  await chmod(path, 0o600)
}
