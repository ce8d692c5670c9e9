import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdir, mkdtemp, readdir, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { ServerKind } from '../../core/contracts/server-rules.ts'
import { unpackedFolder, unpackedProgram, type ServerProgram } from './server-programs.ts'

/** Runs a program of this machine to its end. @returns its exit code and what it has said */
export type RunCommand = (
  program: string,
  args: readonly string[],
  where: { readonly cwd: string; readonly signal: AbortSignal },
) => Promise<{ readonly code: number; readonly said: string }>

/** The web server could not be fetched; the sentence says what to do. */
export class NotFetched extends Error {}

const PACKAGE: Readonly<Record<ServerKind, string>> = { apache: 'apache2-bin', nginx: 'nginx' }
const NAME: Readonly<Record<ServerKind, string>> = { apache: 'Apache', nginx: 'nginx' }
const PACKAGE_NAME = /^[a-z0-9][a-z0-9+.-]+$/
/** More than the largest of them needs on a bare system. */
const MOST_PACKAGES = 60
const MOST_SAID = 64_000
const APT = '/usr/bin/apt-get'
const DPKG = '/usr/bin/dpkg-deb'

export const runCommand: RunCommand = (program, args, { cwd, signal }) =>
  new Promise((resolve, reject) => {
    const child = spawn(program, args, {
      ...{ cwd, signal, stdio: ['ignore', 'pipe', 'pipe'] },
      env: { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', LC_ALL: 'C' },
    })
    let said = ''
    const take = (chunk: Buffer): void => void (said = (said + chunk.toString()).slice(-MOST_SAID))
    child.stdout?.on('data', take)
    child.stderr?.on('data', take)
    child.once('error', reject)
    child.once('close', (code) => resolve({ code: code ?? 1, said }))
  })

/** Whether packages of this machine's system can be fetched at all. */
export const mayFetch = (): boolean => existsSync(APT) && existsSync(DPKG)

/** Packages that an installation would add, as a simulation of it names them. */
const addedPackages = (simulated: string): string[] =>
  simulated.split('\n').flatMap((line) => {
    const [, name] = /^Inst (\S+)/.exec(line) ?? []
    return name !== undefined && PACKAGE_NAME.test(name) ? [name] : []
  })

const lastLine = (said: string): string => said.trim().split('\n').at(-1)?.slice(0, 300) ?? ''

/**
 * Fetch a web server from the packages of this machine's system, checked by its signatures, and unpack it into a folder of ours. Nothing is installed: no
 * file outside the folder changes, no service starts, and no rights are needed.
 * @throws NotFetched
 */
export const fetchWebServer = async (
  kind: ServerKind,
  serversFolder: string,
  signal: AbortSignal,
  run: RunCommand = runCommand,
): Promise<ServerProgram> => {
  await mkdir(serversFolder, { recursive: true, mode: 0o700 })
  const work = await mkdtemp(join(serversFolder, 'fetching-'))
  const where = { cwd: work, signal }
  const wanted = PACKAGE[kind]
  const failed = (said: string): NotFetched =>
    new NotFetched(
      `${NAME[kind]} could not be fetched from this system’s packages: ${lastLine(said)} Bring the package lists up to date ("sudo apt-get update"), or install it yourself ("sudo apt-get install ${wanted}").`,
    )
  try {
    const simulated = await run(
      APT,
      ['install', '--simulate', '--no-install-recommends', '-o', 'Debug::NoLocking=1', wanted],
      where,
    )
    if (simulated.code !== 0) throw failed(simulated.said)
    const packages = [...new Set([wanted, ...addedPackages(simulated.said)])].slice(0, MOST_PACKAGES)
    const fetched = await run(APT, ['download', '-o', 'APT::Sandbox::User=root', ...packages], where)
    if (fetched.code !== 0) throw failed(fetched.said)
    const unpacked = join(work, 'unpacked')
    await mkdir(unpacked)
    for (const file of (await readdir(work)).filter((name) => name.endsWith('.deb'))) {
      const { code, said } = await run(DPKG, ['--extract', file, unpacked], where)
      if (code !== 0) throw failed(said)
    }
    if (unpackedProgram(kind, unpacked) === undefined) throw failed('The packages hold no web server.')
    const folder = unpackedFolder(serversFolder, kind)
    await rm(folder, { recursive: true, force: true })
    await rename(unpacked, folder)
    const program = unpackedProgram(kind, folder)
    if (program === undefined) throw failed('The packages hold no web server.')
    return program
  } finally {
    await rm(work, { recursive: true, force: true })
  }
}
