import { chmod, chown, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

/** Nobody: the user that owns no file (Debian's base-passwd). */
const NOBODY = 65_534

export interface LaunchPath {
  readonly path: string
  readonly env: Record<string, string>
  /** Remove what was made for it. */
  readonly end: () => Promise<void>
}

/** Run by a shell: gives the browser its profile, and gives up all rights before it becomes the browser. */
const script = (program: string): string => `#!/bin/sh
for argument in "$@"; do
  case "$argument" in
    --user-data-dir=*) chown -R ${NOBODY}:${NOBODY} "\${argument#--user-data-dir=}" ;;
  esac
done
exec setpriv --reuid=${NOBODY} --regid=${NOBODY} --clear-groups --inh-caps=-all '${program.replaceAll("'", String.raw`'\''`)}' "$@"
`

const SURROUNDINGS = ['PATH', 'LANG', 'TZ', 'TMPDIR', 'FONTCONFIG_PATH'] as const

const surroundings = (home: string): Record<string, string> => ({
  ...Object.fromEntries(
    SURROUNDINGS.flatMap((name) => {
      const value = process.env[name]
      return value === undefined ? [] : [[name, value]]
    }),
  ),
  HOME: home,
})

/**
 * How to start a browser so that pages which break out of it find no rights and no secrets. Its own sandbox refuses to work for root, so where we are
 * root the browser is started as a user who owns nothing.
 */
export const unprivileged = async (program: string): Promise<LaunchPath> => {
  const home = await mkdtemp(join(tmpdir(), 'zest-browser-'))
  const end = (): Promise<void> => rm(home, { recursive: true, force: true })
  if (process.getuid?.() !== 0) return { path: program, env: surroundings(home), end }
  const path = join(home, 'start')
  await writeFile(path, script(program))
  await chmod(path, 0o755)
  await chmod(home, 0o755)
  await chown(home, NOBODY, NOBODY)
  return { path, env: surroundings(home), end }
}
