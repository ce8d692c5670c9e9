import { readFile } from 'node:fs/promises'
import { z } from 'zod'
import { AutomaticCertificateState, type AutomaticCertificate } from '../core/contracts/certificates.ts'
import { DnsPlan, type DnsRecord } from '../core/contracts/going-live.ts'
import { Job } from '../core/contracts/jobs.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'
import { waitForJob } from './wait-for-job.ts'

export interface GoingLiveOptions {
  readonly json: boolean
  readonly directory?: string | undefined
  readonly contact?: string | undefined
  readonly 'agree-terms': boolean
  readonly dns: boolean
  readonly 'account-key-id'?: string | undefined
  readonly 'account-key-file'?: string | undefined
  readonly address: string[]
  readonly alias?: string | undefined
  readonly zone?: string | undefined
}

const printCertificate = (automatic: AutomaticCertificate | null, out: Output): void => {
  if (automatic === null) return out.line('No certificate is got automatically.')
  const { host, state, directory, validUntil, nextTryAt, problem, record } = automatic
  out.line(`${host}  ${state}, from ${directory}`)
  if (validUntil !== null) out.line(`valid until   ${validUntil}`)
  if (nextTryAt !== null) out.line(`${state === 'valid' ? 'renewed on' : 'tried again'}   ${nextTryAt}`)
  if (record !== null) out.line(`enter in the DNS   ${record.name} TXT "${record.value}"`)
  if (problem !== null) out.line(problem)
}

/** @throws UsageError */
const orderOf = async (options: GoingLiveOptions): Promise<unknown> => {
  const { directory, contact, dns, 'account-key-id': keyId, 'account-key-file': keyFile } = options
  if (directory === undefined || contact === undefined)
    throw new UsageError(
      'Give --directory, the address of the authority’s directory, and --contact, your e-mail address.',
    )
  if (!options['agree-terms'])
    throw new UsageError('Say with --agree-terms that you agree to the terms of the certificate authority.')
  if ((keyId === undefined) !== (keyFile === undefined))
    throw new UsageError('--account-key-id and --account-key-file go together.')
  const read = async (path: string): Promise<string> =>
    (
      await readFile(path, 'utf8').catch((error: Error) => {
        throw new CommandFailure(`${path} cannot be read: ${error.message}`)
      })
    ).trim()
  return {
    directory,
    contact,
    challenge: dns ? 'dns-01' : 'http-01',
    termsAgreed: true,
    externalAccount: keyId === undefined || keyFile === undefined ? null : { keyId, key: await read(keyFile) },
  }
}

/** `zest certificate`. @returns the exit code @throws UsageError, CommandFailure */
export const certificate = async (
  access: ApiAccess,
  [name, what]: readonly string[],
  options: GoingLiveOptions,
  out: Output,
): Promise<number> => {
  const site = await findSite(access, name)
  const path = `/sites/${site.id}/certificate/automatic`
  if (what === 'get' || what === 'renew') {
    const job =
      what === 'get'
        ? await callApi(access, 'PUT', path, Job, await orderOf(options))
        : await callApi(access, 'POST', `${path}/tries`, Job)
    await waitForJob(access, job.id, 'Getting the certificate', out)
  } else if (what === 'stop') await callApi(access, 'DELETE', path, z.undefined())
  else if (what !== undefined) throw new UsageError(`"${what}" is not one of get, renew, stop.`)
  const state = await callApi(access, 'GET', path, AutomaticCertificateState)
  if (options.json) out.line(JSON.stringify(state, null, 2))
  else printCertificate(state.automatic, out)
  return 0
}

const lineOf = ({ name, ttl, type, data }: DnsRecord): string => `${name} ${ttl} ${type} ${data}`

/** `zest dns`. @returns the exit code @throws UsageError, CommandFailure */
export const dns = async (
  access: ApiAccess,
  name: string | undefined,
  { json, address, alias, zone }: GoingLiveOptions,
  out: Output,
): Promise<number> => {
  const site = await findSite(access, name)
  if (address.length === 0 && alias === undefined)
    throw new UsageError(
      'Give --address, that of the machine Zest Lamp runs on, or --alias, a host name that stands for it.',
    )
  const zoneFile =
    zone === undefined
      ? null
      : await readFile(zone, 'utf8').catch((error: Error) => {
          throw new CommandFailure(`${zone} cannot be read: ${error.message}`)
        })
  const plan = await callApi(access, 'POST', `/sites/${site.id}/going-live/dns-plans`, DnsPlan, {
    addresses: address,
    alias: alias ?? null,
    zoneFile,
  })
  if (json) {
    out.line(JSON.stringify(plan, null, 2))
    return 0
  }
  for (const record of plan.lowerFirst) out.line(`lower to 300   ${lineOf(record)}`)
  if (plan.waitS > 0) out.line(`then wait      ${plan.waitS} s`)
  for (const { what, record } of plan.changes) out.line(`${what.padEnd(14)} ${lineOf(record)}`)
  if (plan.changes.length === 0) out.line('Nothing changes.')
  for (const note of [...plan.problems, ...plan.notes]) out.note(note)
  return 0
}
