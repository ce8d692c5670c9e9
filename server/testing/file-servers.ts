import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { chmodSync, chownSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { freePort, isListening } from '../../process/loopback-port.ts'

/** For tests: real file servers from Debian's packages, on ports and folders of their own. */

export const hasSshd = existsSync('/usr/sbin/sshd')
const hasOpenssl = existsSync('/usr/bin/openssl')
export const hasFtpd = hasOpenssl && existsSync('/usr/sbin/proftpd') && existsSync('/usr/lib/proftpd/mod_tls.so')
export const hasDav = hasOpenssl && existsSync('/usr/lib/apache2/modules/mod_dav_fs.so')

const isRoot = process.getuid?.() === 0
const NOBODY = 65534
const MODULES = '/usr/lib/apache2/modules'

/** A file server that has been started; its files are in a folder of this machine. */
export interface FileServerBench {
  readonly port: number
  /** Where its files are, on this machine. */
  readonly files: string
  readonly user: string
  /** Private key or password. */
  readonly secret: string
  stop(): Promise<void>
}

const started = async (port: number, folder: string, program: string, args: string[]): Promise<() => Promise<void>> => {
  const child: ChildProcess = spawn(program, args, { stdio: ['ignore', 'pipe', 'pipe'] })
  let said = ''
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (chunk: Buffer) => (said += chunk.toString()))
  while (!(await isListening(port))) {
    if (child.exitCode !== null) throw new Error(`${program} did not start: ${said}`)
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
  return async () => {
    const ended = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGTERM')
    await ended
    rmSync(folder, { recursive: true, force: true })
  }
}

const aFolder = (name: string): { folder: string; files: string } => {
  const folder = mkdtempSync(join(tmpdir(), `zest-${name}-`))
  chmodSync(folder, 0o755)
  const files = join(folder, 'site')
  mkdirSync(files)
  return { folder, files }
}

const said = (program: string, args: string[]): string => {
  const { status, stdout, stderr } = spawnSync(program, args, { encoding: 'utf8' })
  if (status !== 0) throw new Error(`${program}: ${stderr}`)
  return stdout.trim()
}

/** OpenSSH's server, with one key that opens it. */
export const startSshd = async (): Promise<FileServerBench> => {
  const { folder, files } = aFolder('sshd')
  const port = await freePort()
  for (const name of ['host', 'user']) said('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', join(folder, name)])
  // Where it separates its rights; made by the service, which is not started here.
  if (isRoot) mkdirSync('/run/sshd', { recursive: true })
  writeFileSync(
    join(folder, 'config'),
    [
      `Port ${port}`,
      'ListenAddress 127.0.0.1',
      `HostKey ${folder}/host`,
      `AuthorizedKeysFile ${folder}/user.pub`,
      'StrictModes no',
      'UsePAM no',
      'PermitRootLogin prohibit-password',
      'PidFile none',
      'Subsystem sftp internal-sftp',
    ].join('\n'),
  )
  const stop = await started(port, folder, '/usr/sbin/sshd', ['-D', '-e', '-f', join(folder, 'config')])
  return { port, files, user: userInfo().username, secret: readFileSync(join(folder, 'user'), 'utf8'), stop }
}

/** ProFTPD, which takes TLS only, with a certificate that nobody vouches for. */
export const startFtpd = async (): Promise<FileServerBench> => {
  const { folder, files } = aFolder('ftpd')
  const port = await freePort()
  const [uid, gid] = isRoot ? [NOBODY, NOBODY] : [userInfo().uid, userInfo().gid]
  chownSync(files, uid, gid)
  said('openssl', [
    ...['req', '-x509', '-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes', '-days', '2'],
    ...['-subj', '/CN=files.example', '-keyout', `${folder}/key.pem`, '-out', `${folder}/cert.pem`],
  ])
  const password = 'nine quays'
  const digest = said('openssl', ['passwd', '-5', password])
  writeFileSync(join(folder, 'users'), `keeper:${digest}:${uid}:${gid}::${files}:/bin/false\n`, { mode: 0o600 })
  writeFileSync(
    join(folder, 'config'),
    [
      'ModulePath /usr/lib/proftpd',
      'LoadModule mod_tls.c',
      'ServerType standalone',
      `Port ${port}`,
      'DefaultAddress 127.0.0.1',
      'UseIPv6 off',
      'UseReverseDNS off',
      ...(isRoot ? ['User nobody', 'Group nogroup'] : []),
      `AuthUserFile ${folder}/users`,
      'AuthOrder mod_auth_file.c',
      'RequireValidShell off',
      'AllowOverwrite on',
      `DefaultRoot ${files}`,
      `PidFile ${folder}/pid`,
      `ScoreboardFile ${folder}/scoreboard`,
      `SystemLog ${folder}/log`,
      'WtmpLog off',
      'TLSEngine on',
      'TLSRequired on',
      `TLSECCertificateFile ${folder}/cert.pem`,
      `TLSECCertificateKeyFile ${folder}/key.pem`,
      '<IfModule mod_delay.c>\nDelayEngine off\n</IfModule>',
    ].join('\n'),
  )
  const stop = await started(port, folder, '/usr/sbin/proftpd', ['-n', '-c', join(folder, 'config')])
  return { port, files, user: 'keeper', secret: password, stop }
}

/** Apache's WebDAV, with a password. */
export const startDav = async (): Promise<FileServerBench> => {
  const { folder, files } = aFolder('dav')
  const port = await freePort()
  const password = 'nine quays'
  mkdirSync(join(folder, 'locks'))
  if (isRoot) {
    const [uid, gid] = ['-u', '-g'].map((which) => Number(said('id', [which, 'www-data'])))
    for (const path of [files, join(folder, 'locks')]) chownSync(path, uid ?? NOBODY, gid ?? NOBODY)
  }
  writeFileSync(join(folder, 'users'), `keeper:${said('openssl', ['passwd', '-apr1', password])}\n`)
  const modules = ['mpm_event', 'authn_core', 'authn_file', 'authz_core', 'authz_user', 'auth_basic', 'dav', 'dav_fs']
  writeFileSync(
    join(folder, 'config'),
    `ServerRoot ${folder}
ServerName files.example
PidFile ${folder}/pid
Listen 127.0.0.1:${port}
ErrorLog ${folder}/error.log
${modules.map((name) => `LoadModule ${name}_module ${MODULES}/mod_${name}.so`).join('\n')}
${isRoot ? 'User www-data\nGroup www-data' : ''}
DocumentRoot ${files}
DavLockDB ${folder}/locks/db
<Directory ${files}>
  Dav On
  AuthType Basic
  AuthName files
  AuthUserFile ${folder}/users
  Require valid-user
</Directory>
`,
  )
  const stop = await started(port, folder, '/usr/sbin/apache2', ['-f', join(folder, 'config'), '-DFOREGROUND'])
  return { port, files, user: 'keeper', secret: password, stop }
}

/** A way to a server that breaks off once so many pieces have come from it. */
export class BreakingWay {
  readonly #server: Server
  readonly #open = new Set<Socket>()
  /** Pieces that still arrive; undefined: all. */
  left: number | undefined

  private constructor(target: number) {
    this.#server = createServer((socket) => {
      const far = connect(target, '127.0.0.1')
      for (const one of [socket, far]) {
        this.#open.add(one)
        one.on('error', () => undefined)
        one.once('close', () => {
          this.#open.delete(one)
          socket.destroy()
          far.destroy()
        })
      }
      socket.pipe(far)
      far.on('data', (chunk: Buffer) => {
        if (this.left !== undefined && this.left-- <= 0) return void socket.destroy()
        socket.write(chunk)
      })
    })
  }

  static async to(target: number): Promise<BreakingWay> {
    const way = new BreakingWay(target)
    await new Promise<void>((resolve) => way.#server.listen(0, '127.0.0.1', resolve))
    return way
  }

  get port(): number {
    return (this.#server.address() as AddressInfo).port
  }

  async close(): Promise<void> {
    for (const socket of this.#open) socket.destroy()
    await new Promise((resolve) => this.#server.close(resolve))
  }
}
