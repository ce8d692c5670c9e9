import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { existsSync } from 'node:fs'
import { mkdtemp, rm, writeFile, mkdir, chmod, utimes } from 'node:fs/promises'
import { request } from 'node:http'
import { connect, type IncomingHttpHeaders } from 'node:http2'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { freePort, isListening } from '../../process/loopback-port.ts'

/** For tests: Apache and nginx from Debian's packages, on ports and folders of their own. */

const AN_HOUR_AGO = Date.now() / 1000 - 3600
const MODULES = '/usr/lib/apache2/modules'
export const hasApache = existsSync('/usr/sbin/apache2')
export const hasNginx = existsSync('/usr/sbin/nginx')
const NGINX_BROTLI = '/usr/lib/nginx/modules/ngx_http_brotli_filter_module.so'
export const hasNginxBrotli = hasNginx && existsSync(NGINX_BROTLI)
/** What Apache needs to answer at all. */
const BASE = ['mpm_event', 'authz_core', 'mime', 'dir']
export const OPTIONAL = ['filter', 'deflate', 'brotli', 'expires', 'headers', 'rewrite'] as const
export type OptionalModule = (typeof OPTIONAL)[number] | 'http2'

export interface WebAnswer {
  readonly status: number
  readonly headers: Record<string, string | string[] | undefined>
  readonly body: Buffer
}

/** A real server that has been started on a folder. */
export class WebServer {
  readonly port: number
  readonly #child: ChildProcess
  readonly #folder: string

  private constructor(port: number, child: ChildProcess, folder: string) {
    this.port = port
    this.#child = child
    this.#folder = folder
  }

  static async #started(port: number, folder: string, program: string, args: string[]): Promise<WebServer> {
    const child = spawn(program, args, { stdio: ['ignore', 'ignore', 'pipe'] })
    let said = ''
    child.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()))
    while (!(await isListening(port))) {
      if (child.exitCode !== null) throw new Error(`${program} did not start: ${said}`)
      await new Promise((resolve) => setTimeout(resolve, 20))
    }
    return new WebServer(port, child, folder)
  }

  static async #folderWith(files: Record<string, string | Buffer>): Promise<string> {
    const folder = await mkdtemp(join(tmpdir(), 'zest-web-server-'))
    await chmod(folder, 0o755)
    for (const [path, text] of Object.entries(files)) {
      await mkdir(dirname(join(folder, 'site', path)), { recursive: true })
      await writeFile(join(folder, 'site', path), text)
      // Older than a second: only then is an entity tag a strong one.
      await utimes(join(folder, 'site', path), AN_HOUR_AGO, AN_HOUR_AGO)
    }
    return folder
  }

  /** Apache with a rules file in the site's folder. @param overrides what such files may say, as the host allows it */
  static async apache(
    files: Record<string, string | Buffer>,
    rules: string,
    modules: readonly OptionalModule[],
    overrides = 'All',
  ): Promise<WebServer> {
    const folder = await WebServer.#folderWith({ ...files, '.htaccess': rules })
    const port = await freePort()
    const config = apacheConfig(folder, port, modules, '').replace('AllowOverride All', `AllowOverride ${overrides}`)
    await writeFile(join(folder, 'apache.conf'), config)
    return WebServer.#started(port, folder, '/usr/sbin/apache2', ['-f', join(folder, 'apache.conf'), '-DFOREGROUND'])
  }

  /** Where the files of the site are. */
  get site(): string {
    return join(this.#folder, 'site')
  }

  /** nginx with a file of rules on the level of `http`. @param inServer more of them, within the server block */
  static async nginx(files: Record<string, string | Buffer>, rules: string, inServer = ''): Promise<WebServer> {
    const folder = await WebServer.#folderWith(files)
    const port = await freePort()
    await writeFile(join(folder, 'rules.conf'), rules)
    await writeFile(join(folder, 'nginx.conf'), nginxConfig(folder, port, inServer))
    return WebServer.#started(port, folder, '/usr/sbin/nginx', [
      '-p',
      folder,
      '-c',
      join(folder, 'nginx.conf'),
      '-e',
      join(folder, 'error.log'),
      '-g',
      'daemon off;',
    ])
  }

  ask(path: string, headers: Record<string, string> = {}, method = 'GET'): Promise<WebAnswer> {
    return new Promise((resolve, reject) => {
      request({ host: '127.0.0.1', port: this.port, path, headers, method, agent: false }, (res) => {
        const chunks: Buffer[] = []
        res.on('data', (chunk: Buffer) => chunks.push(chunk))
        res.on('end', () => resolve({ status: res.statusCode ?? 0, headers: res.headers, body: Buffer.concat(chunks) }))
      })
        .on('error', reject)
        .end()
    })
  }

  /** A page over HTTP/2, as a browser asks for it. @returns Link fields of early hints before it, and its own @param mode what it is asked for as (Fetch Metadata, W3C) */
  async hinted(path: string, mode: string): Promise<{ early: string[]; link: string | undefined; vary: string }> {
    const session = connect(`http://127.0.0.1:${this.port}`, { settings: { enablePush: false } })
    try {
      const stream = session.request({ ':path': path, 'sec-fetch-mode': mode })
      const early: string[] = []
      stream.on('headers', (fields) => fields[':status'] === 103 && early.push(String(fields['link'])))
      const [fields] = (await once(stream, 'response')) as [IncomingHttpHeaders]
      stream.resume()
      await once(stream, 'end')
      return { early, link: fields['link'] as string | undefined, vary: String(fields['vary'] ?? '') }
    } finally {
      session.close()
    }
  }

  async stop(): Promise<void> {
    const ended = new Promise((resolve) => this.#child.once('exit', resolve))
    this.#child.kill('SIGTERM')
    await ended
    await rm(this.#folder, { recursive: true, force: true })
  }
}

const apacheConfig = (folder: string, port: number, modules: readonly string[], inFolder: string): string =>
  `
ServerRoot ${folder}
ServerName quay.example
PidFile ${folder}/apache.pid
Listen 127.0.0.1:${port}
ErrorLog ${folder}/error.log
${[...BASE, ...modules].map((name) => `LoadModule ${name}_module ${MODULES}/mod_${name}.so`).join('\n')}
${process.getuid?.() === 0 ? 'LoadModule unixd_module ' + MODULES + '/mod_unixd.so\nUser www-data\nGroup www-data' : ''}
${modules.includes('http2') ? 'Protocols h2c http/1.1\nH2EarlyHints on' : ''}
TypesConfig /etc/mime.types
DocumentRoot ${folder}/site
<Directory ${folder}/site>
  AllowOverride All
  Require all granted
${inFolder}
</Directory>
`.replace(/LoadModule unixd_module .*\n/, existsSync(`${MODULES}/mod_unixd.so`) ? '$&' : '')

/** With the module for Brotli, where there is one: by itself it does nothing. */
const nginxConfig = (folder: string, port: number, inServer = ''): string => `
${hasNginxBrotli ? `load_module ${NGINX_BROTLI};` : ''}
pid ${folder}/nginx.pid;
error_log ${folder}/error.log;
${process.getuid?.() === 0 ? 'user www-data;' : ''}
events {}
http {
  include /etc/nginx/mime.types;
  default_type application/octet-stream;
  access_log off;
  client_body_temp_path ${folder}/body;
  proxy_temp_path ${folder}/proxy;
  fastcgi_temp_path ${folder}/fastcgi;
  uwsgi_temp_path ${folder}/uwsgi;
  scgi_temp_path ${folder}/scgi;
  include ${folder}/rules.conf;
  server { listen 127.0.0.1:${port}; root ${folder}/site; ${inServer} }
}
`

/** What Apache's syntax check says of rules with some modules: nothing, where it takes them. */
export const apacheComplains = async (rules: string, modules: readonly string[]): Promise<string> => {
  const folder = await mkdtemp(join(tmpdir(), 'zest-apache-'))
  await mkdir(join(folder, 'site'))
  await writeFile(join(folder, 'apache.conf'), apacheConfig(folder, 1, modules, rules))
  const { status, stderr } = spawnSync('/usr/sbin/apache2', ['-t', '-f', join(folder, 'apache.conf')], {
    encoding: 'utf8',
  })
  await rm(folder, { recursive: true, force: true })
  return status === 0 ? '' : stderr
}

/** The same of nginx. */
export const nginxComplains = async (rules: string, inServer = ''): Promise<string> => {
  const folder = await mkdtemp(join(tmpdir(), 'zest-nginx-'))
  await writeFile(join(folder, 'rules.conf'), rules)
  await writeFile(join(folder, 'nginx.conf'), nginxConfig(folder, 1, inServer))
  const { status, stderr } = spawnSync(
    '/usr/sbin/nginx',
    ['-t', '-q', '-p', folder, '-c', join(folder, 'nginx.conf'), '-e', join(folder, 'error.log')],
    {
      encoding: 'utf8',
    },
  )
  await rm(folder, { recursive: true, force: true })
  return status === 0 && stderr === '' ? '' : stderr || 'refused'
}
