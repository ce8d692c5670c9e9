import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import { launchBrowser } from './launch.ts'

test('the browser has its sandbox and no rights, and none of our secrets around it', async () => {
  process.env['ZEST_API_TOKEN'] = 'a-secret-of-control'
  const browser = await launchBrowser()
  try {
    const lines = execFileSync('ps', ['-eo', 'pid=,uid=,ppid=,args='], { encoding: 'utf8' }).split('\n')
    const all = lines.map((line) => /^ *(\d+) +(\d+) +(\d+) (.*)$/.exec(line)).filter((one) => one !== null)
    const ours = new Set([String(process.pid)])
    const below = all.filter(([, pid, , parent, args]) => {
      if (!ours.has(parent!)) return false
      ours.add(pid!)
      return args!.includes('chrom')
    })
    expect(below.length).toBeGreaterThan(0)
    for (const [, pid, uid, , args] of below) {
      if (process.getuid?.() === 0) expect([args, uid]).toEqual([args, '65534'])
      expect(args).not.toContain('--no-sandbox')
      expect(readFileSync(`/proc/${pid}/environ`, 'utf8')).not.toContain('a-secret-of-control')
    }
  } finally {
    delete process.env['ZEST_API_TOKEN']
    await browser.close()
  }
})
