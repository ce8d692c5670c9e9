// The rule table of the architecture, enforced as lint rules: which room may import from which, and no circles inside a room.
import { dirname, relative, resolve, sep } from 'node:path'
import { importGraph, readImports, reaches } from './import-graph.mjs'

const root = resolve(import.meta.dirname, '..')
const ANY = [
  'core',
  'process',
  'delivery',
  'objects',
  'lab',
  'server',
  'web',
  'cli',
  'standins',
  'e2e',
  'bench',
  'scripts',
]

/** Room → prefixes it may import from, besides itself. Arrows go down only. */
export const ROOMS = {
  core: [],
  process: ['core'],
  delivery: ['core', 'process'],
  objects: ['core', 'process'],
  lab: ['core'],
  server: ['core', 'process', 'delivery/control', 'objects/control', 'lab'],
  web: ['core'],
  cli: ['core/contracts'],
  standins: ['core/formats', 'core/model/distance.ts', 'process/copied-folder.ts'],
  e2e: ANY,
  bench: ANY,
}

const roomOf = (path) => path.split('/')[0]

/**
 * Why a file of ours may not import another, or undefined when it may.
 * @param {string} from path of the importing file, relative to the root, with forward slashes
 * @param {string} to path of the imported file, likewise
 */
export function forbiddenImport(from, to) {
  const room = roomOf(from)
  const allowed = ROOMS[room]
  if (allowed === undefined || roomOf(to) === room) return undefined
  if (allowed.some((prefix) => to === prefix || to.startsWith(`${prefix}/`))) return undefined
  // A test is outside the running product: it may use anything that judges its subject.
  if (from.endsWith('.test.ts')) return undefined
  return `${room}/ may import ${allowed.length > 0 ? allowed.join(', ') : 'nothing of ours'}, not ${to}.`
}

const report = (context, node, source) => {
  const from = relative(root, context.filename).split(sep).join('/')
  if (roomOf(from) === 'core' && !from.endsWith('.test.ts') && source.startsWith('node:'))
    return context.report({ node, message: 'core/ is pure: it imports no Node modules.' })
  if (!source.startsWith('.')) return
  const to = relative(root, resolve(dirname(context.filename), source))
    .split(sep)
    .join('/')
  const message = forbiddenImport(from, to)
  if (message !== undefined) context.report({ node, message })
}

let graphs
/** Read once for a whole run: files by what they import, and folders of one room likewise. */
const graphsOfRepository = () => (graphs ??= importGraph(readImports(root, Object.keys(ROOMS))))

/**
 * Why an import closes a circle, or undefined when it does not.
 * @param from and to: paths relative to the root, with forward slashes
 * @param graphs what imports what, this import included
 */
export function circularImport(from, to, { files, folders }) {
  if (from === to || reaches(files, to, from)) return `${to} imports this file, directly or through others.`
  const [folder, target] = [dirname(from), dirname(to)]
  if (folder === target || roomOf(from) !== roomOf(to)) return undefined
  if (reaches(folders, target, folder))
    return `${target}/ imports from ${folder}/, directly or through other folders: arrows inside a room go one way.`
  return undefined
}

const reportCircle = (context, node, source) => {
  if (!source.startsWith('.')) return
  const from = relative(root, context.filename).split(sep).join('/')
  const to = relative(root, resolve(dirname(context.filename), source))
    .split(sep)
    .join('/')
  // A test is outside the running product, and so is what helps tests.
  if (roomOf(from) in ROOMS === false || /\.test\.ts$|\/testing\//.test(from)) return
  const message = circularImport(from, to, graphsOfRepository())
  if (message !== undefined) context.report({ node, message })
}

export const roomsPlugin = {
  rules: {
    circles: {
      meta: { type: 'problem', schema: [] },
      create: (context) => ({
        ImportDeclaration: (node) => reportCircle(context, node, node.source.value),
        ExportNamedDeclaration: (node) => node.source && reportCircle(context, node, node.source.value),
      }),
    },
    imports: {
      meta: { type: 'problem', schema: [] },
      create: (context) => ({
        ImportDeclaration: (node) => report(context, node, node.source.value),
        ExportNamedDeclaration: (node) => node.source && report(context, node, node.source.value),
        ExportAllDeclaration: (node) => report(context, node, node.source.value),
        ImportExpression: (node) => node.source.type === 'Literal' && report(context, node, String(node.source.value)),
      }),
    },
  },
}
