import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { chromium, type Browser, type Page, type Response } from 'playwright-core'
import type { Site } from '../core/contracts/sites.ts'
import { TRIAL_KEY } from '../core/http/trial-key.ts'
import { DeliveryClient } from '../delivery/control/client.ts'
import { controlSocketPath } from '../process/socket-path.ts'
import { chromiumPath } from '../lab/cdp/launch.ts'

/** The whole product with its demo, started as a newcomer starts it, on ports and data of its own. */

/** From the source (tests) or from dist/ (benchmarks), the project is one folder up. */
const root = resolve(import.meta.dirname, '..')
export const TOKEN = 'e2e-token'
/** Drawn by whichever stack comes first. */
const PICTURES = join(root, 'node_modules/.cache/zest-demo-pictures')
const START_MS = 240_000

export interface LiveAnswer {
  readonly status: number
  readonly cacheStatus: string
  readonly type: string
  readonly body: string
}

const groupLives = (leader: number): boolean => {
  try {
    process.kill(-leader, 0)
    return true
  } catch {
    return false
  }
}

export class Stack {
  readonly basePort: number
  readonly dataDir: string
  readonly #process: ChildProcess

  private constructor(basePort: number, dataDir: string, child: ChildProcess) {
    this.basePort = basePort
    this.dataDir = dataDir
    this.#process = child
  }

  /** Runs `npm run demo` until it says that it is ready. @param settings further environment variables */
  static start(basePort: number, settings: Record<string, string> = {}): Promise<Stack> {
    return Stack.#run('demo', basePort, settings)
  }

  /** Runs `npm start` on an empty data directory: what somebody has who has just installed it. */
  static fresh(basePort: number): Promise<Stack> {
    return Stack.#run('start', basePort, {})
  }

  static async #run(script: 'demo' | 'start', basePort: number, settings: Record<string, string>): Promise<Stack> {
    const dataDir = await mkdtemp(join(tmpdir(), 'zest-e2e-'))
    const child = spawn('npm', ['run', '--silent', script], {
      cwd: root,
      env: {
        ...process.env,
        ZEST_PORT: String(basePort),
        ZEST_DATA_DIR: dataDir,
        ZEST_API_TOKEN: TOKEN,
        ZEST_DEMO_PICTURES: PICTURES,
        // Where a test is not about edges, their processes would only take time from it.
        ZEST_DEMO_EDGES: '0',
        ...settings,
      },
      stdio: ['ignore', 'pipe', 'inherit'],
      detached: true,
    })
    await new Promise<void>((done, reject) => {
      const timer = setTimeout(() => reject(new Error(`npm run ${script} did not get ready.`)), START_MS)
      let text = ''
      child.stdout!.on('data', (chunk: Buffer) => {
        text += chunk.toString()
        if (!text.includes(`ready http://127.0.0.1:${basePort}`)) return
        clearTimeout(timer)
        done()
      })
      child.once('exit', (code) => reject(new Error(`npm run ${script} ended with ${code}: ${text}`)))
    })
    return new Stack(basePort, dataDir, child)
  }

  get url(): string {
    return `http://127.0.0.1:${this.basePort}`
  }

  /** What a signed-out visitor gets from delivery; of the trial, what whoever has its key gets. */
  async visit(path: string, headers: Record<string, string> = {}, host = 'orrin.localhost'): Promise<LiveAnswer> {
    const key = host.startsWith('trial.') ? { [TRIAL_KEY]: await this.#keyOfTrial() } : {}
    return new Promise((done, reject) => {
      request(
        {
          host: '127.0.0.1',
          port: this.basePort + 10,
          path,
          headers: { host: `${host}:${this.basePort + 10}`, ...key, ...headers },
          agent: false,
        },
        (res) => {
          const chunks: Buffer[] = []
          res.on('data', (chunk: Buffer) => chunks.push(chunk))
          res.on('end', () =>
            done({
              status: res.statusCode!,
              cacheStatus: String(res.headers['cache-status'] ?? ''),
              type: String(res.headers['content-type'] ?? ''),
              body: Buffer.concat(chunks).toString(),
            }),
          )
        },
      )
        .on('error', reject)
        .end()
    })
  }

  #trialKey: string | undefined

  async #keyOfTrial(): Promise<string> {
    this.#trialKey ??= (await this.site()).trialKey
    return this.#trialKey
  }

  /** The site that is connected: of the demo, the ferry site. */
  async site(): Promise<Site> {
    const [site] = await this.api<Site[]>('GET', '/sites')
    if (site === undefined) throw new Error('No site is connected.')
    return site
  }

  async api<T>(method: string, path: string, body?: unknown): Promise<T> {
    const response = await fetch(`${this.url}/api/v1${path}`, {
      method,
      headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    })
    const answer = (await response.json()) as T
    if (!response.ok) throw new Error(`${method} ${path}: ${JSON.stringify(answer)}`)
    return answer
  }

  /** Resolves when delivery has rewritten and converted all that the site's pages need so far. */
  async prepared(siteId: string): Promise<void> {
    const delivery = new DeliveryClient(controlSocketPath(this.dataDir))
    while ((await delivery.preparing(siteId)).waiting > 0) await new Promise((resolve) => setTimeout(resolve, 100))
  }

  async stop(): Promise<void> {
    if (this.#process.exitCode === null) {
      // The whole group, npm and all it started: npm ends first, and what it started still writes for a moment.
      process.kill(-this.#process.pid!, 'SIGTERM')
      while (groupLives(this.#process.pid!)) await new Promise((resolve) => setTimeout(resolve, 50))
    }
    await rm(this.dataDir, { recursive: true, force: true, maxRetries: 5 })
  }
}

/** Run one of the built programs to its end. */
export const runProgram = (
  name: string,
  env: Record<string, string>,
  args: string[] = [],
): Promise<{ code: number | null; output: string; errors: string }> =>
  new Promise((done) => {
    const child = spawn(process.execPath, [join(root, 'dist', `${name}.mjs`), ...args], {
      env: { ...process.env, ...env },
    })
    let output = ''
    let errors = ''
    child.stdout.on('data', (chunk: Buffer) => (output += chunk.toString()))
    child.stderr.on('data', (chunk: Buffer) => (errors += chunk.toString()))
    child.on('exit', (code) => done({ code, output, errors }))
  })

export const openBrowser = (): Promise<Browser> =>
  chromium.launch({
    executablePath: chromiumPath(),
    args: [...(process.getuid?.() === 0 ? ['--no-sandbox'] : []), '--disable-gpu', '--disable-background-networking'],
  })

/** Sign in with the demo's account, and open the ferry site. @throws Error with what the screen showed instead */
export const openFerrySite = async (page: Page, url: string): Promise<void> => {
  const answers: string[] = []
  const hear = (response: Response): void => void answers.push(`${response.status()} ${response.url()}`)
  page.on('response', hear)
  await page.goto(url)
  await page.getByLabel('Name or e-mail address').fill('keeper@orrin-sound.example')
  await page.getByLabel('Password').fill('nine quays')
  await page.getByRole('button', { name: 'Sign in' }).click()
  const site = page.getByRole('link', { name: 'Orrin Sound Ferries' })
  await site.click().catch(async (cause: unknown) => {
    const seen = await page.locator('body').innerText()
    throw new Error(`${page.url()} showed:\n${seen}\nanswers:\n${answers.join('\n')}`, { cause })
  })
  page.off('response', hear)
}

/** Opens a page of the trial in a browser: the key goes along once. */
export const inTrial = ({ trialUrl, trialKey }: Site, path = '/'): string =>
  `${trialUrl}${path}?${TRIAL_KEY}=${trialKey}`

/** Give the phone a quicker link: where it does not matter how slow it is, nine megabytes of pictures need not take nine seconds each time. */
export const withQuickPhone = async (stack: Stack, { id, visitors }: Site): Promise<void> => {
  const quick = visitors.map((one) => (one.device === 'phone' ? { ...one, downKbps: 45_000 } : one))
  await stack.api('PUT', `/sites/${id}/visitors`, quick)
}
