import { connect } from 'node:net'
import type { HomeStore } from '../../core/contracts/delivery-config.ts'

const TIMEOUT_MS = 3000
const PORTS: Readonly<Record<string, number>> = { 'http:': 80, 'https:': 443 }

/** Whether something listens where an edge asks home: control may be heard although the way to home is cut. */
export const reachesHome = (base: string): Promise<boolean> =>
  new Promise((resolve) => {
    const { protocol, hostname, port } = new URL(base)
    const socket = connect({
      host: hostname.replace(/^\[|\]$/g, ''),
      port: Number(port) || (PORTS[protocol] ?? 443),
      timeout: TIMEOUT_MS,
    })
    const end = (reached: boolean): void => {
      socket.destroy()
      resolve(reached)
    }
    socket.on('connect', () => end(true))
    socket.on('timeout', () => end(false))
    socket.on('error', () => end(false))
  })

/** What the owner is told while it does not. */
export const homeAway = ({ base, whenAway }: Pick<HomeStore, 'base' | 'whenAway'>): string =>
  `It does not reach home at ${base}. ${
    whenAway === 'ask-origin'
      ? 'Visitors get pages straight from your server (origin).'
      : 'Visitors get only what this edge may still serve from its store, and errors otherwise.'
  } Check the address by which it reaches home, and firewalls in between.`
