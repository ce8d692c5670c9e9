// Installs what is missing, so that no command needs an `npm install` before it.
import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { root, run } from './shell.mjs'

/** What is noted down once the packages of a lock file are there. */
const markIn = (folder) => join(folder, 'node_modules/.zest-installed')
const noted = (folder) => (existsSync(markIn(folder)) ? readFileSync(markIn(folder), 'utf8') : '')
const stateOf = (folder) =>
  createHash('sha256')
    .update(readFileSync(join(folder, 'package-lock.json')))
    .digest('hex')

const installPackages = async (folder, what, state, more = []) => {
  console.log(`installing ${what} …`)
  await run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error', ...more], { cwd: folder })
  writeFileSync(markIn(folder), state)
}

/** All packages of the lock file, those of tests and tools too; once per state of it. */
export const ensureInstalled = async () => {
  const all = stateOf(root)
  if (noted(root) !== all) await installPackages(root, 'packages', all)
}

const WITHOUT = ' without development'

/** Only what the product needs to be built and to run; where more is installed, for instance for tests, that stays. */
export const ensureProduct = async () => {
  const before = noted(root)
  if (before !== '' && !before.endsWith(WITHOUT)) return ensureInstalled()
  const product = stateOf(root) + WITHOUT
  if (before !== product) await installPackages(root, 'packages', product, ['--omit=dev'])
}

/** Besides, what the demo's site serves; the packages of the tests hold it too. */
export const ensureDemo = async () => {
  await ensureProduct()
  const demo = join(root, 'standins')
  if (noted(root) !== stateOf(root) && noted(demo) !== stateOf(demo))
    await installPackages(demo, 'packages of the demo site', stateOf(demo))
}

const mayInstall = () => process.getuid?.() === 0

/** From Debian's packages. Rejects where they cannot be reached. */
const install = async (name, what = name) => {
  console.log(`installing ${what} …`)
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' }
  await run('apt-get', ['update', '-qq', '-o', 'Acquire::http::Timeout=20'], { env })
  await run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...[name].flat()], { env })
}

/** A server that speaks RESP, for the tests of a store that several processes share. */
export const ensureRedis = async () => {
  if (existsSync('/usr/bin/redis-server')) return
  if (!mayInstall()) throw new Error('redis-server is missing. Install it with "sudo apt-get install redis-server".')
  await install('redis-server')
}

/** A certificate authority for tests, which judges how certificates are got; without it those tests are left out. */
export const ensurePebble = async () => {
  if (existsSync('/usr/bin/pebble') || !mayInstall()) return
  await install('pebble', 'a certificate authority for tests').catch((error) =>
    console.log(`${error.message} Getting certificates is not tested.`),
  )
}

/** A name server, which judges what is said of zones; without it those tests are left out. */
export const ensureNamed = async () => {
  if (existsSync('/usr/sbin/named') || !mayInstall()) return
  await install('bind9', 'a name server for tests').catch((error) =>
    console.log(`${error.message} Zones are not tested against a name server.`),
  )
}

/** A language that many content systems are written in, for the test of its sender; without it that test is left out. */
export const ensurePhp = async () => {
  if (existsSync('/usr/bin/php') || !mayInstall()) return
  await install('php-cli', 'PHP').catch((error) => console.log(`${error.message} The sender in PHP is not tested.`))
}

/** A general-purpose web server, to show its static files beside stored pages in the benchmarks. */
export const ensureNginx = async () => {
  if (existsSync('/usr/sbin/nginx') || !mayInstall()) return
  await install('nginx-light', 'nginx')
}

/** The web servers that most sites run on, which judge the rules that are written for them; without them those tests are left out. */
export const ensureWebServers = async () => {
  await ensureNginx()
  if (!mayInstall()) return
  if (!existsSync('/usr/sbin/apache2')) await install('apache2', 'Apache')
  if (existsSync('/usr/lib/nginx/modules/ngx_http_brotli_filter_module.so')) return
  await install('libnginx-mod-http-brotli-filter', 'Brotli for nginx').catch((error) =>
    console.log(`${error.message} Rules for Brotli in nginx are not tested.`),
  )
}

/** File servers, which judge how the rules file of a site is put there; without them those tests are left out. */
export const ensureFileServers = async () => {
  const missing = [
    ['/usr/sbin/sshd', 'openssh-server'],
    ['/usr/sbin/proftpd', 'proftpd-core'],
    ['/usr/lib/proftpd/mod_tls.so', 'proftpd-mod-crypto'],
    ['/usr/bin/openssl', 'openssl'],
  ].flatMap(([file, name]) => (existsSync(file) ? [] : [name]))
  if (missing.length === 0 || !mayInstall()) return
  await install(missing, 'file servers for tests').catch((error) =>
    console.log(`${error.message} Putting files on another machine is not tested.`),
  )
}

/** Database servers, which judge backups and clean-ups, and what opens a backup; without them those tests are left out. */
export const ensureDatabaseServers = async () => {
  const missing = [
    ['/usr/lib/postgresql', 'postgresql'],
    ['/usr/sbin/mariadbd', 'mariadb-server'],
    ['/usr/bin/age', 'age'],
  ].flatMap(([file, name]) => (existsSync(file) ? [] : [name]))
  if (missing.length === 0 || !mayInstall()) return
  await install(missing, 'database servers for tests').catch((error) =>
    console.log(`${error.message} Backups and clean-ups are not tested on real servers.`),
  )
}

/** Makes requests from a process of its own, for the benchmarks. */
export const ensureWrk = async () => {
  if (existsSync('/usr/bin/wrk')) return
  if (!mayInstall()) throw new Error('wrk is missing. Install it with "sudo apt-get install wrk".')
  await install('wrk')
}

/** Chromium for the tests and the lab, where we may install it; also without a window, in which loads vary less (docs/decisions/034). */
export const ensureChromium = async () => {
  const named = process.env.ZEST_CHROMIUM
  if (!existsSync(named ?? '/usr/bin/chromium')) {
    if (!mayInstall())
      throw new Error(
        'Chromium is missing. Install it with "sudo apt-get install chromium chromium-headless-shell", or name its path in ZEST_CHROMIUM.',
      )
    await install('chromium', 'Chromium')
  }
  if (named !== undefined || existsSync('/usr/bin/chromium-headless-shell') || !mayInstall()) return
  await install('chromium-headless-shell', 'Chromium without a window').catch((error) =>
    console.log(`${error.message} Pages are measured in Chromium with its window.`),
  )
}
