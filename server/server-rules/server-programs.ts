import { existsSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import type { ServerKind } from '../../core/contracts/server-rules.ts'

/** A web server that rehearsals may start. */
export interface ServerProgram {
  readonly program: string
  /** Folder of Apache's modules. */
  readonly modules: string
  /** Folders of libraries that it needs besides those of this machine, with colons between; empty: none. */
  readonly libraries: string
}

/** How Debian's packages lay the servers out; other systems that follow it are as good. */
const PROGRAMS: Readonly<Record<ServerKind, string>> = { apache: '/usr/sbin/apache2', nginx: '/usr/sbin/nginx' }
const MODULES = '/usr/lib/apache2/modules'
const SETTINGS: Readonly<Record<ServerKind, string>> = { apache: 'ZEST_APACHE', nginx: 'ZEST_NGINX' }

/** What is installed on this machine, or said to be; undefined: nothing is there. */
const installedProgram = (kind: ServerKind): ServerProgram | undefined => {
  const program = process.env[SETTINGS[kind]] ?? PROGRAMS[kind]
  return existsSync(program)
    ? { program, modules: process.env['ZEST_APACHE_MODULES'] ?? MODULES, libraries: '' }
    : undefined
}

/** Folders of libraries below a place, whatever the kind of processor. */
const libraryFolders = (folder: string): string[] =>
  ['usr/lib', 'lib'].flatMap((place) => {
    const at = join(folder, place)
    return existsSync(at)
      ? readdirSync(at)
          .filter((name) => name.includes('-linux-gnu'))
          .map((name) => join(at, name))
      : []
  })

/** A server whose packages were unpacked below a folder. */
export const unpackedProgram = (kind: ServerKind, folder: string): ServerProgram | undefined => {
  const program = join(folder, PROGRAMS[kind])
  if (!existsSync(program)) return undefined
  return { program, modules: join(folder, MODULES), libraries: libraryFolders(folder).join(':') }
}

/** Where the packages of a kind are unpacked. */
export const unpackedFolder = (serversFolder: string, kind: ServerKind): string => join(serversFolder, kind)

/** The web server of a kind that is at hand; undefined: none. @param serversFolder where fetched ones are unpacked */
export const serverProgram = (kind: ServerKind, serversFolder: string): ServerProgram | undefined =>
  installedProgram(kind) ?? unpackedProgram(kind, unpackedFolder(serversFolder, kind))
