// Builds what runs: the server-side programs with esbuild, the interface with Vite. Skips what is up to date.
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, renameSync, readFileSync, writeFileSync, mkdirSync, cpSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { root, run } from './shell.mjs'

const SERVER_ROOMS = ['core', 'process', 'delivery', 'objects', 'lab', 'server', 'cli', 'standins']
const WEB_ROOMS = ['core', 'web']

const filesBelow = (folder) =>
  existsSync(join(root, folder))
    ? readdirSync(join(root, folder), { recursive: true, withFileTypes: true })
        .filter((entry) => entry.isFile())
        .map((entry) => join(entry.parentPath, entry.name))
        .sort()
    : []

const fingerprint = (rooms) => {
  const hash = createHash('sha256')
  for (const file of [
    ...rooms.flatMap(filesBelow),
    join(root, 'package-lock.json'),
    join(root, 'vite.config.ts'),
    join(root, 'scripts/first-load.ts'),
    import.meta.filename,
  ])
    if (existsSync(file)) hash.update(file).update(readFileSync(file))
  return hash.digest('hex')
}

const upToDate = (name, print) => {
  const mark = join(root, 'dist', `${name}.built`)
  return existsSync(mark) && readFileSync(mark, 'utf8') === print
}
const markBuilt = (name, print) => writeFileSync(join(root, 'dist', `${name}.built`), print)

const PROGRAMS = {
  control: 'server/main.ts',
  delivery: 'delivery/main.ts',
  'delivery-further': 'delivery/cluster/main.ts',
  edge: 'delivery/edge/main.ts',
  objects: 'objects/main.ts',
  'prepare-control': 'server/db/prepare-database.ts',
  'prepare-ferry': 'standins/site/prepare-database.ts',
  'page-worker': 'delivery/transform/page-worker.ts',
  'bulk-worker': 'delivery/transform/bulk-worker.ts',
  simulator: 'server/planner/simulator-program.ts',
  lab: 'lab/main.ts',
  'picture-maker': 'server/pictures/picture-program.ts',
  'scratch-database': 'server/upkeep/scratch-program.ts',
  load: 'lab/load/main.ts',
  recorder: 'lab/recorder.ts',
  site: 'standins/site/main.ts',
  third: 'standins/third/main.ts',
  distance: 'standins/distance/main.ts',
  names: 'standins/names/main.ts',
  cdn: 'standins/cdn/main.ts',
  storage: 'standins/storage/main.ts',
  zest: 'cli/zest.ts',
}

const BENCH_PROGRAMS = {
  bench: 'bench/main.ts',
  'bare-server': 'bench/bare-server.ts',
  'store-opener': 'bench/store-opener.ts',
  'purge-process': 'bench/purge-process.ts',
  soak: 'bench/soak.ts',
  'database-site': 'bench/database-site.ts',
}

const bundling = (programs) => ({
  entryPoints: Object.fromEntries(Object.entries(programs).map(([name, file]) => [name, join(root, file)])),
  outdir: join(root, 'dist'),
  outExtension: { '.js': '.mjs' },
  bundle: true,
  packages: 'external',
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: 'linked',
  logLevel: 'warning',
})

const bundle = async (programs) => {
  const { build } = await import('esbuild')
  mkdirSync(join(root, 'dist'), { recursive: true })
  await build(bundling(programs))
}

const copyMigrations = () => {
  rmSync(join(root, 'dist/migrations'), { recursive: true, force: true })
  cpSync(join(root, 'server/db/migrations'), join(root, 'dist/migrations'), { recursive: true })
}

/**
 * Databases that first starts begin with: making one anew takes some seconds, a copy of one a moment. Made again when the program that makes it, or
 * what that reads, has changed.
 */
const prepare = async (program, folder, ...args) => {
  const hash = createHash('sha256')
  for (const file of [
    join(root, `dist/${program}.mjs`),
    join(root, 'package-lock.json'),
    ...filesBelow('server/db/migrations'),
  ])
    hash.update(readFileSync(file))
  const print = hash.digest('hex')
  if (upToDate(folder, print) && existsSync(join(root, 'dist', folder))) return
  const made = join(root, 'dist', `${folder}.made`)
  for (const old of [made, join(root, 'dist', folder)]) rmSync(old, { recursive: true, force: true })
  await run(process.execPath, [join(root, `dist/${program}.mjs`), made, ...args])
  renameSync(made, join(root, 'dist', folder))
  markBuilt(folder, print)
}

/** The ferry site's database, for demos only. */
export const prepareDemo = () => prepare('prepare-ferry', 'ferry-database')

/** The benchmarks, beside the programs they measure. */
export const buildBench = () => bundle(BENCH_PROGRAMS)

export const buildServer = async () => {
  mkdirSync(join(root, 'dist'), { recursive: true })
  const print = fingerprint(SERVER_ROOMS)
  if (upToDate('server', print)) return
  await bundle(PROGRAMS)
  copyMigrations()
  await prepare('prepare-control', 'empty-database', join(root, 'dist/migrations'))
  markBuilt('server', print)
}

/**
 * Build the server-side programs, and again whenever a source file of theirs is saved.
 * @param {(files: Map<string, string>) => void} onBuilt told after each build: every program's name and built file
 * @returns once the first build has ended, with a function that ends watching
 */
export const watchServer = async (onBuilt) => {
  const { context } = await import('esbuild')
  mkdirSync(join(root, 'dist'), { recursive: true })
  const files = new Map(Object.keys(PROGRAMS).map((name) => [name, join(root, 'dist', `${name}.mjs`)]))
  let first
  const built = new Promise((resolve) => (first = resolve))
  const watching = await context({
    ...bundling(PROGRAMS),
    plugins: [
      {
        name: 'tell',
        setup: ({ onEnd }) =>
          onEnd(({ errors }) => {
            if (errors.length > 0) return
            copyMigrations()
            // What stands in dist/ is another build than the one that was noted down.
            rmSync(join(root, 'dist/server.built'), { force: true })
            onBuilt(files)
            first()
          }),
      },
    ],
  })
  await watching.watch()
  await built
  return { close: () => watching.dispose() }
}

export const buildWeb = async () => {
  const print = fingerprint(WEB_ROOMS)
  if (upToDate('web', print)) return
  console.log('building the interface …')
  await run('npx', ['vite', 'build', '--logLevel', 'warn'])
  markBuilt('web', print)
}

export const buildAll = async () => {
  mkdirSync(join(root, 'dist'), { recursive: true })
  await buildServer()
  await buildWeb()
}

if (process.argv[1] === import.meta.filename) {
  const { ensureProduct } = await import('./ensure.mjs')
  await ensureProduct()
  await buildAll()
}
