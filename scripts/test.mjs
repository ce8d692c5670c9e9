// npm test: everything CI runs, from a clean clone. Ends with "N passed, N failed" over all kinds of tests.
import { spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import {
  ensureChromium,
  ensureDatabaseServers,
  ensureFileServers,
  ensureInstalled,
  ensureNamed,
  ensurePebble,
  ensurePhp,
  ensureRedis,
  ensureWebServers,
} from './ensure.mjs'
import { root } from './shell.mjs'

const results = join(root, '.vitest-results')

/** Runs a command to its end. @returns {Promise<boolean>} whether it succeeded */
const succeeds = (command, args) =>
  new Promise((resolve) => {
    const child = spawn(command, args, {
      cwd: root,
      stdio: 'inherit',
      env: { ...process.env, NO_COLOR: '1' },
    })
    child.on('error', () => resolve(false))
    child.on('exit', (code) => resolve(code === 0))
  })

/** Steps that are one check each. */
const CHECKS = [
  ['format', 'npx', ['prettier', '--check', '--log-level=warn', '.']],
  ['lint', 'npx', ['eslint', '.']],
  ['types', 'npx', ['vue-tsc', '--noEmit']],
]

const vitest = async (project) => {
  const file = join(results, `${project}.json`)
  const ok = await succeeds('npx', [
    'vitest',
    'run',
    `--project=${project}`,
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${file}`,
  ])
  try {
    const { numPassedTests, numFailedTests, numFailedTestSuites } = JSON.parse(readFileSync(file, 'utf8'))
    // A file that cannot be loaded has no tests to count; it is a failure all the same.
    const failed = Math.max(numFailedTests, ok ? 0 : 1, numFailedTestSuites > 0 && numFailedTests === 0 ? 1 : 0)
    return { passed: numPassedTests, failed }
  } catch {
    return { passed: 0, failed: 1 }
  }
}

const startedAt = Date.now()
await ensureInstalled()
rmSync(results, { recursive: true, force: true })
mkdirSync(results, { recursive: true })
const { buildAll } = await import('./build.mjs')

const counts = {}
/** Programs that tests need, one after the other: Debian's installer takes one order at a time. */
const ensurePrograms = async () => {
  await ensureChromium()
  await ensureRedis()
  await ensurePhp()
  await ensurePebble()
  await ensureNamed()
  await ensureWebServers()
  await ensureFileServers()
  await ensureDatabaseServers()
}
// Side by side: each of them keeps one core busy, and none measures anything; programs are fetched meanwhile.
await Promise.all([
  ensurePrograms(),
  ...CHECKS.map(async ([name, command, args]) => {
    const ok = await succeeds(command, args)
    counts[name] = { passed: ok ? 1 : 0, failed: ok ? 0 : 1 }
  }),
])
counts.build = await buildAll().then(
  () => ({ passed: 1, failed: 0 }),
  (error) => (console.error(error.message), { passed: 0, failed: 1 }),
)
for (const project of ['unit', 'interface', 'e2e', 'e2e-side-by-side']) counts[project] = await vitest(project)

for (const [name, { passed, failed }] of Object.entries(counts))
  console.log(`${name.padEnd(17)} ${passed} passed, ${failed} failed`)
const sum = (key) => Object.values(counts).reduce((total, count) => total + count[key], 0)
console.log(`took ${Math.round((Date.now() - startedAt) / 1000)} s`)
console.log(`${sum('passed')} passed, ${sum('failed')} failed`)
process.exitCode = sum('failed') === 0 ? 0 : 1
