import { mkdtempSync, rmSync } from 'node:fs'
import type { Server as HttpServer } from 'node:http'
import { createServer, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { FirstProcess } from '../cluster/first-process.ts'
import { FurtherProcesses } from '../cluster/further-processes.ts'
import { toldToFirst } from '../cluster/told-to-first.ts'
import { createInnerListener } from '../listener/listener.ts'
import type { EdgeKeys } from '../request/edge-access.ts'
import { compileRoutes, type Routes } from '../request/routes.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { IndexedStore } from '../store/indexed-store.ts'
import { GeneratedAssets } from '../transform/generated-assets.ts'
import { memoizingPool } from '../transform/memoizing-pool.ts'
import { PageRewriter } from '../transform/page-rewriter.ts'
import { transformHere } from '../transform/transform-pool.ts'

const NO_SITES: DeliveryConfig = { revision: 0, sites: [] }

/** For tests: a further process before the delivery that is tested, in this process, with real sockets in between. */
export class BenchCluster {
  readonly first: FirstProcess
  readonly further: FurtherProcesses
  readonly furtherIo: DeliveryIo
  /** What is handed on to the first process. */
  requests: HttpServer
  #messages: Server
  readonly #io: DeliveryIo
  readonly #folder = mkdtempSync(join(tmpdir(), 'zest-cluster-'))
  #routes: Routes = new Map()
  #edges: EdgeKeys = new Map()
  #configured: Promise<void> = Promise.resolve()

  /** @param worthCopying requests for an address before it is copied */
  constructor(io: DeliveryIo, store: IndexedStore, worthCopying = 1) {
    this.further = new FurtherProcesses(io, NO_SITES)
    this.further.use(store)
    Object.assign(io, { confirmedEverywhere: () => this.further.confirmed() })
    this.#io = io
    this.requests = createInnerListener(io).listen(join(this.#folder, 'requests'))
    this.#messages = createServer((socket) => this.further.accept(socket)).listen(join(this.#folder, 'messages'))
    this.first = new FirstProcess({
      messagesPath: join(this.#folder, 'messages'),
      requestsPath: join(this.#folder, 'requests'),
      configure: (config) => (this.#routes = compileRoutes(config)),
      worthCopying,
      report: (error) => void io.report(error, {}),
      end: (error) => void io.report(error, {}),
    })
    const { copies } = this.first
    this.furtherIo = {
      ...io,
      beforeOpening: undefined,
      store: copies,
      rewriter: new PageRewriter(memoizingPool(transformHere()), new GeneratedAssets(copies, io.now)),
      routes: () => this.#routes,
      edges: () => this.#edges,
      instance: `${io.instance}-further`,
      sessions: undefined,
      edits: undefined,
      contact: undefined,
      first: this.first,
      ...toldToFirst(this.first),
    }
  }

  get ready(): Promise<void> {
    return this.first.ready
  }

  configure(config: DeliveryConfig, edges: EdgeKeys): void {
    this.#edges = edges
    this.#configured = this.further.configure(config)
  }

  /** Resolves when each has heard what the other had to say. */
  async settled(): Promise<void> {
    await this.#configured
    // An answer is counted when its connection has been told of its end.
    await new Promise((resolve) => setImmediate(resolve))
    while (this.first.wanted > 0) await new Promise((resolve) => setImmediate(resolve))
    this.first.tell()
    await this.further.confirmed()
  }

  /** The first process is gone. */
  stopFirst(): void {
    this.further.end()
    this.#messages.close()
    this.requests.close()
    this.requests.closeAllConnections()
  }

  /** Another one has taken its place; copies it does not give yet. */
  startFirst(): void {
    this.requests = createInnerListener(this.#io).listen(join(this.#folder, 'requests'))
  }

  close(): void {
    this.first.end()
    this.stopFirst()
    rmSync(this.#folder, { recursive: true, force: true })
  }
}
