import { chmod, mkdir, readFile, rename, writeFile } from 'node:fs/promises'
import { X509Certificate } from 'node:crypto'
import { join } from 'node:path'
import { createSecureContext, type SecureContext } from 'node:tls'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { keyDigest, ownKey, type OwnKey } from '../control/own-key.ts'

/** A certificate made here lasts a year and is made again a month before it ends. */
const LASTS_DAYS = 365
const RENEW_BEFORE_MS = 30 * 86_400_000

interface PemPair {
  readonly certificate: string
  readonly key: string
}

const isUsable = ({ certificate }: PemPair, host: string, { publicKey }: OwnKey, now: number): boolean => {
  try {
    const parsed = new X509Certificate(certificate)
    return (
      new Date(parsed.validTo).getTime() - now > RENEW_BEFORE_MS &&
      parsed.checkHost(host) !== undefined &&
      keyDigest(parsed.publicKey.export({ type: 'spki', format: 'pem' }).toString()) === keyDigest(publicKey)
    )
  } catch {
    return false
  }
}

/**
 * Certificates by host name: the owner's own where one is given, else one made here. Browsers warn of the latter, so it is for trying out; it is kept
 * on disk, so that a browser told to trust it goes on doing so.
 */
export class Certificates {
  /** Where those made here are kept. */
  readonly folder: string
  readonly #now: () => number
  readonly #contexts = new Map<string, Promise<SecureContext>>()
  #owners = new Map<string, PemPair>()
  #hosts = new Set<string>()

  constructor(folder: string, now: () => number) {
    this.folder = folder
    this.#now = now
  }

  /** Take over hosts and certificates of a configuration. */
  use(config: DeliveryConfig): void {
    const owners = new Map<string, PemPair>()
    const hosts = new Set<string>()
    for (const site of config.sites)
      for (const { hosts: names } of site.channels)
        for (const host of names) {
          hosts.add(host)
          if (site.tls !== undefined && new X509Certificate(site.tls.certificate).checkHost(host) !== undefined)
            owners.set(host, site.tls)
        }
    for (const host of new Set([...hosts, ...this.#hosts]))
      if (!hosts.has(host) || owners.get(host)?.certificate !== this.#owners.get(host)?.certificate)
        this.#contexts.delete(host)
    this.#owners = owners
    this.#hosts = hosts
  }

  /** The certificate to show for a name. @returns undefined for names that are not served here */
  contextFor(host: string): Promise<SecureContext> | undefined {
    if (!this.#hosts.has(host)) return undefined
    let context = this.#contexts.get(host)
    if (context === undefined) {
      context = this.#load(host)
      this.#contexts.set(host, context)
      context.catch(() => this.#contexts.delete(host))
    }
    return context
  }

  async #load(host: string): Promise<SecureContext> {
    const { certificate, key } = this.#owners.get(host) ?? (await this.#made(host))
    return createSecureContext({ cert: certificate, key, minVersion: 'TLSv1.2' })
  }

  async #made(host: string): Promise<PemPair> {
    const path = join(this.folder, `${host}.pem.json`)
    const kept = await readFile(path, 'utf8').then(
      (text) => JSON.parse(text) as PemPair,
      () => undefined,
    )
    // One key for all: the lab's browser is told that it may be trusted, and stores what it has got by it.
    const own = await ownKey(this.folder)
    if (kept !== undefined && isUsable(kept, host, own, this.#now())) return kept
    const now = this.#now()
    // Loaded when it is needed: it takes a fifth of a second, in which a process that starts answers nobody.
    const { generate } = await import('selfsigned')
    const made = await generate([{ name: 'commonName', value: host }], {
      keyType: 'ec',
      curve: 'P-256',
      algorithm: 'sha256',
      keyPair: own,
      notBeforeDate: new Date(now - 3_600_000),
      notAfterDate: new Date(now + LASTS_DAYS * 86_400_000),
      extensions: [
        { name: 'basicConstraints', cA: false },
        { name: 'keyUsage', digitalSignature: true },
        { name: 'extKeyUsage', serverAuth: true },
        { name: 'subjectAltName', altNames: [{ type: 2, value: host }] },
      ],
    })
    const pair = { certificate: made.cert, key: made.private }
    await mkdir(this.folder, { recursive: true, mode: 0o700 })
    await writeFile(`${path}.part`, JSON.stringify(pair), { mode: 0o600 })
    await chmod(`${path}.part`, 0o600)
    await rename(`${path}.part`, path)
    return pair
  }
}
