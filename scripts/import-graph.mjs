// What imports what, read from the source texts: enough for finding circles, without a parser.
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { posix } from 'node:path'

const IMPORT = /(?:^|\n)\s*(?:import|export)\b[^'"`;]*?['"](\.{1,2}\/[^'"]+)['"]/g

/** Files of ours that run in the product: tests, and what helps them, are outside of it. */
const isProduct = (path) => /\.(?:ts|vue)$/.test(path) && !/\.test\.ts$|\/testing\//.test(path)

/**
 * Every import between files of the rooms, type imports too.
 * @returns {[string, string][]} pairs of paths relative to the root, with forward slashes
 */
export const readImports = (root, rooms) =>
  rooms
    .filter((room) => existsSync(join(root, room)))
    .flatMap((room) => readdirSync(join(root, room), { recursive: true }).map((path) => posix.join(room, path)))
    .filter(isProduct)
    .flatMap((from) =>
      [...readFileSync(join(root, from), 'utf8').matchAll(IMPORT)].map(([, to]) => [
        from,
        posix.join(dirname(from), to),
      ]),
    )

const add = (graph, from, to) => graph.set(from, (graph.get(from) ?? new Set()).add(to))

/** Files by what they import; and folders by the folders of the same room that their files import. */
export const importGraph = (imports) => {
  const [files, folders] = [new Map(), new Map()]
  for (const [from, to] of imports) {
    add(files, from, to)
    if (from.split('/')[0] === to.split('/')[0] && dirname(from) !== dirname(to))
      add(folders, dirname(from), dirname(to))
  }
  return { files, folders }
}

/** Whether one can be reached from another along imports. */
export const reaches = (graph, from, to) => {
  const seen = new Set()
  const next = [from]
  while (next.length > 0) {
    const at = next.pop()
    if (at === to) return true
    if (seen.has(at)) continue
    seen.add(at)
    next.push(...(graph.get(at) ?? []))
  }
  return false
}
