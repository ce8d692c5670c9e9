import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { mkdir, mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DeliveryConfig } from '../core/contracts/delivery-config.ts'
import { Setup } from '../core/contracts/setup.ts'
import { saveConfig } from '../delivery/process/config-file.ts'
import { DeliveryClient } from '../delivery/control/client.ts'
import { controlSocketPath } from '../process/socket-path.ts'

export const HOST = 'bench.localhost'

/** One site on one host, with these settings of the page cache. */
export const configFor = (
  originPort: number,
  pageCache: Record<string, unknown> = {},
  revision = 1,
): DeliveryConfig => {
  const on = { enabled: true }
  const setup = Setup.parse({
    remedies: { pageCache: { ...on, ...pageCache }, compression: on, browserCache: on },
  })
  return {
    revision,
    sites: [
      {
        siteId: 'bench',
        origin: {
          base: `http://127.0.0.1:${originPort}`,
          hostHeader: 'visitor',
          privateAddresses: 'allowed',
          timeoutMs: 10_000,
        },
        knowledge: [],
        challenges: [],
        channels: [{ channel: 'live', hosts: [HOST], setup }],
      },
    ],
  }
}

/** A delivery process of its own, with a data directory of its own. */
export class DeliveryProcess {
  readonly client: DeliveryClient
  readonly #folder: string
  readonly #port: number
  #child: ChildProcess | undefined

  constructor(folder: string, port: number) {
    this.#folder = folder
    this.#port = port
    this.client = new DeliveryClient(controlSocketPath(folder))
  }

  async start(): Promise<void> {
    const child = spawn(process.execPath, [join(import.meta.dirname, 'delivery.mjs')], {
      env: { ...process.env, ZEST_DATA_DIR: this.#folder, ZEST_PORT: String(this.#port) },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    this.#child = child
    while (!(await this.client.isUp())) {
      if (child.exitCode !== null) throw new Error('Delivery did not start.')
      await new Promise((resolve) => setTimeout(resolve, 50))
    }
  }

  /** End it without warning. */
  async kill(): Promise<void> {
    this.#child?.kill('SIGKILL')
    if (this.#child !== undefined) await once(this.#child, 'exit')
  }

  async stop(): Promise<void> {
    if (this.#child?.exitCode === null && this.#child.signalCode === null) {
      this.#child.kill()
      await once(this.#child, 'exit')
    }
    await rm(this.#folder, { recursive: true, force: true, maxRetries: 5 })
  }

  /** Of the process that runs now. */
  get pid(): number {
    return this.#child!.pid!
  }
}

/** @param port base port; visitors are served at port + 10 */
export const startDelivery = async (port: number, config: DeliveryConfig): Promise<DeliveryProcess> => {
  const folder = await mkdtemp(join(tmpdir(), 'zest-bench-'))
  await mkdir(join(folder, 'delivery'), { recursive: true })
  await saveConfig(join(folder, 'delivery/setups.json'), config)
  const delivery = new DeliveryProcess(folder, port)
  await delivery.start()
  return delivery
}
