import ipaddr from 'ipaddr.js'
import type { Context, Next } from 'koa'
import { errors } from '../errors/app-errors.ts'

/** Names under which control itself is asked. */
export interface ControlNames {
  /** Whether a request to this host name is meant for control. */
  readonly has: (hostname: string) => boolean
}

/** An address that is written out cannot be made to mean another one, as a name can. */
const isAddress = (hostname: string): boolean => ipaddr.isValid(hostname.replace(/^\[|\]$/g, ''))

/** @param added names that the owner has given control, besides those of this machine */
export const controlNames = (added: readonly string[]): ControlNames => {
  const names = new Set(['localhost', ...added.map((name) => name.trim().toLowerCase()).filter((name) => name !== '')])
  return { has: (hostname) => names.has(hostname.toLowerCase()) || isAddress(hostname) }
}

/** A page elsewhere can make a name of its own mean this machine (DNS rebinding); control answers to its own names only. */
export const ownNamesOnly =
  (names: ControlNames) =>
  async (ctx: Context, next: Next): Promise<void> => {
    if (!names.has(ctx.hostname.replace(/^\[|\]$/g, ''))) throw errors.notControl(ctx.hostname)
    await next()
  }

export interface HasControlNames {
  /** Names under which control is asked; no site may use one, since cookies do not tell ports apart. */
  readonly controlNames: ControlNames
}
