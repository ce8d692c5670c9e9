import { execFile } from 'node:child_process'
import { cp, mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'

/** The adversarial tests, tried themselves: each is run against a copy of delivery in which what it is there for is undone, and has to fail. */

const root = resolve(import.meta.dirname, '../..')
let copy: string

interface Undone {
  readonly what: string
  /** Text of a file, and what stands there instead when the fix is undone. */
  readonly changes: readonly (readonly [file: string, text: string, instead: string])[]
  readonly found: string
  readonly only?: string
}

const UNDONE: Undone[] = [
  {
    what: 'framing of our own, and connections that only requests without content share',
    changes: [
      ['core/http/fields.ts', '.filter((name) => !NOT_NOMINATED.has(name))', ''],
      ['delivery/fetch/origin-client.ts', 'headers: framed(request).flat()', 'headers: request.fields.flat()'],
      ['delivery/fetch/origin-client.ts', '#openOrRefuse(request, body === undefined)', '#openOrRefuse(request, true)'],
    ],
    found: 'delivery/adversarial/framing.test.ts',
    only: 'plain',
  },
  {
    what: 'the guard around everything a visitor can reach',
    changes: [
      ['delivery/listener/deliver.ts', '    giveUp(error, req, res, io)\n  }\n}', '    throw error\n  }\n}'],
      [
        'delivery/request/trial-access.ts',
        "const mark = target.indexOf('?')",
        "const mark = new URL(target, 'http://site').href.length > 0 ? target.indexOf('?') : -1",
      ],
    ],
    found: 'delivery/adversarial/targets.test.ts',
  },
  {
    what: 'one target in the key and for the origin',
    changes: [['delivery/fetch/ask-origin.ts', 'target: sharedTargetOf(exchange)', 'target: exchange.target']],
    found: 'delivery/adversarial/visitors.test.ts',
    only: 'plain',
  },
  {
    what: 'the storing decision for what a 304 makes of a stored page',
    changes: [
      [
        'delivery/fetch/revalidate.ts',
        "if (decision.kind !== 'store') {",
        "if (decision.kind !== 'store' && Number.isNaN(0)) {",
      ],
    ],
    found: 'delivery/adversarial/revalidation.test.ts',
  },
]

const run = (file: string, only: string | undefined): Promise<{ code: number; output: string }> =>
  new Promise((done) => {
    const vitest = join(root, 'node_modules/vitest/vitest.mjs')
    const args = [vitest, 'run', '--root', copy, '--bail=1', file, ...(only === undefined ? [] : ['-t', only])]
    const env = { ...process.env, NO_COLOR: '1', VITEST: '', VITEST_WORKER_ID: '', VITEST_POOL_ID: '' }
    execFile(process.execPath, args, { cwd: copy, env, maxBuffer: 64e6 }, (error, stdout, stderr) =>
      done({ code: error === null ? 0 : 1, output: stdout + stderr }),
    )
  })

beforeAll(async () => {
  copy = await mkdtemp(join(tmpdir(), 'zest-undone-'))
  for (const folder of ['core', 'delivery']) await cp(join(root, folder), join(copy, folder), { recursive: true })
  for (const file of ['package.json', 'tsconfig.json']) await cp(join(root, file), join(copy, file))
  await symlink(join(root, 'node_modules'), join(copy, 'node_modules'))
  await writeFile(
    join(copy, 'vitest.config.ts'),
    `export default { test: { include: ['delivery/**/*.test.ts'], testTimeout: 15_000, expect: { poll: { timeout: 2000 } } } }`,
  )
})
afterAll(() => rm(copy, { recursive: true, force: true }))

test.each(UNDONE)('without $what, $found fails', { timeout: 120_000 }, async ({ changes, found, only }) => {
  const before = new Map<string, string>()
  for (const [file, text, instead] of changes) {
    const now = await readFile(join(copy, file), 'utf8')
    if (!before.has(file)) before.set(file, now)
    expect(now, `${file} is not as this test knows it`).toContain(text)
    await writeFile(join(copy, file), now.replace(text, instead))
  }
  const { code, output } = await run(found, only)
  for (const [file, text] of before) await writeFile(join(copy, file), text)
  expect(output).toMatch(/[1-9] failed|Unhandled|Worker exited|uncaught/i)
  expect(code).toBe(1)
})
