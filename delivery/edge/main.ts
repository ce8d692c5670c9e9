import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { createLog } from '../../process/log.ts'
import { ownFolder } from '../../process/own-folder.ts'
import { controlSocketPath } from '../../process/socket-path.ts'
import { DeliveryClient } from '../control/client.ts'
import { ControlLink } from './control-link.ts'
import { joinControl, readMembership, saveMembership, type Membership } from './membership.ts'

const dataDir = process.env['ZEST_DATA_DIR'] ?? './data'
/** Exit code for a cause that starting again will not fix. */
const EXIT_CONFIG = 78
const log = createLog('edge', `edge-${process.pid}`, process.env['ZEST_LOG_LEVEL'])

const giveUp = (sentence: string): never => {
  console.error(sentence)
  process.exit(EXIT_CONFIG)
}

/** Certificates of a private authority that vouches for control. */
const trustedAuthority = async (): Promise<string | undefined> => {
  const path = process.env['ZEST_CONTROL_TRUST'] ?? ''
  if (path === '') return undefined
  return readFile(path, 'utf8').catch((error: Error) =>
    giveUp(`The file that ZEST_CONTROL_TRUST names cannot be read: ${error.message}`),
  )
}

/** How this machine is known to control; a token that was given makes it join, also in the place of an earlier membership. */
const membershipOf = async (path: string, trusted: string | undefined): Promise<Membership> => {
  const [address, token] = [process.env['ZEST_JOIN'] ?? '', process.env['ZEST_JOIN_TOKEN'] ?? '']
  const known = await readMembership(path).catch((error: Error) => giveUp(`${path} cannot be read: ${error.message}`))
  if (address === '' || token === '')
    return known ?? giveUp('Say which control to join: npm run edge -- --join https://control.example:8400 --token …')
  return joinControl(address, token, trusted).then(
    async (membership) => {
      await saveMembership(path, membership)
      return membership
    },
    (error: Error) => {
      // Started again with the same words, after the token has done its work.
      if (known !== undefined && known.url === new URL(address).origin) return known
      return giveUp(`This machine could not join ${address}: ${error.message}`)
    },
  )
}

const main = async (): Promise<void> => {
  process.umask(0o077)
  await ownFolder(dataDir)
  const trusted = await trustedAuthority()
  const membership = await membershipOf(join(dataDir, 'edge.json'), trusted)
  const link = new ControlLink({
    membership,
    trusted,
    delivery: new DeliveryClient(controlSocketPath(dataDir)),
    now: Date.now,
    say: log.say,
  })
  link.start()
  for (const signal of ['SIGTERM', 'SIGINT'] as const)
    process.on(signal, () => {
      link.end()
      process.exit(0)
    })
  console.log(`edge ${membership.name} joined ${membership.url}`)
}

await main()
