import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const PROGRAM = '/usr/sbin/nginx'
const PORT = 19_690

const isUp = (): Promise<boolean> =>
  new Promise((resolve) => {
    const socket = connect(PORT, '127.0.0.1', () => (socket.destroy(), resolve(true)))
    socket.once('error', () => resolve(false))
  })

/** A general-purpose web server that sends the same bytes from a file, one process like ours. */
export interface StaticServer {
  readonly port: number
  stop(): Promise<void>
}

/** @returns undefined where the server is not installed */
export const startStatic = async (body: Buffer): Promise<StaticServer | undefined> => {
  if (!existsSync(PROGRAM)) return undefined
  const folder = await mkdtemp(join(tmpdir(), 'zest-static-'))
  await writeFile(join(folder, 'page'), body)
  await writeFile(
    join(folder, 'server.conf'),
    `worker_processes 1; daemon off; pid ${folder}/pid; error_log ${folder}/errors; user root;
     events { worker_connections 1024; }
     http { access_log off; keepalive_requests 1000000; sendfile on; tcp_nopush on;
       server { listen 127.0.0.1:${PORT}; root ${folder}; location = / { default_type text/html; add_header content-encoding br; try_files /page =404; } } }`,
  )
  const child: ChildProcess = spawn(PROGRAM, ['-c', join(folder, 'server.conf')], { stdio: 'ignore' })
  while (!(await isUp())) {
    if (child.exitCode !== null) {
      await rm(folder, { recursive: true, force: true })
      return undefined
    }
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  return {
    port: PORT,
    stop: async () => {
      child.kill('SIGTERM')
      await rm(folder, { recursive: true, force: true })
    },
  }
}
