// Installs what is missing, so that no command needs an `npm install` before it.
import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { root, run } from './shell.mjs'

/** Packages of the lock file, installed once per state of it. */
export const ensureInstalled = async () => {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
  const mark = join(root, 'node_modules/.zest-installed')
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return
  console.log('installing packages …')
  await run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'])
  writeFileSync(mark, lock)
}

/** A server that speaks RESP, for the tests of a store that several processes share. */
export const ensureRedis = async () => {
  if (existsSync('/usr/bin/redis-server')) return
  if (process.getuid?.() !== 0)
    throw new Error('redis-server is missing. Install it with "sudo apt-get install redis-server".')
  console.log('installing redis-server …')
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' }
  await run('apt-get', ['update', '-qq'], { env })
  await run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', 'redis-server'], { env })
}

/** A general-purpose web server, to show its static files beside stored pages in the benchmarks. */
export const ensureNginx = async () => {
  if (existsSync('/usr/sbin/nginx') || process.getuid?.() !== 0) return
  console.log('installing nginx …')
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' }
  await run('apt-get', ['update', '-qq'], { env })
  await run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', 'nginx-light'], { env })
}

/** Chromium for the tests and the lab: from Debian's packages where we may install it. */
export const ensureChromium = async () => {
  if (existsSync(process.env.ZEST_CHROMIUM ?? '/usr/bin/chromium')) return
  if (process.getuid?.() !== 0) {
    throw new Error(
      'Chromium is missing. Install it with "sudo apt-get install chromium", or name its path in ZEST_CHROMIUM.',
    )
  }
  console.log('installing Chromium …')
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  await run('apt-get', ['update', '-qq'], { env })
  await run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', 'chromium'], { env })
}
