import { upTo } from '../http/up-to.ts'
import { pathPatterns } from '../http/patterns.ts'
import type { PurgeWhat } from '../contracts/delivery.ts'
import type { ContentEventSettings } from '../contracts/setup.ts'

/** The lists a page stands in by its address: "/stories" and, above it, none but the home page, for "/stories/storm". */
export const listsAbove = (path: string): string[] => {
  const parts = upTo(upTo(path, '?'), '#')
    .split('/')
    .filter((part) => part !== '')
  return parts.slice(0, -1).map((_part, depth) => `/${parts.slice(0, depth + 1).join('/')}`)
}

/**
 * Everything that a change of content makes old: what the content system names, and what the owner's rules add.
 * @param change.paths that have changed, each beginning with "/"
 * @param change.groups that have changed (RFC 9875)
 * @param change.media files that have changed
 * @param change.mediaInPages whether pages are made from the files they show, and have to be made again with them
 * @param change.everything menus, theme or settings: all pages show them
 * @returns purges to carry out; none when nothing is named
 */
export const changeReaches = (
  {
    paths,
    groups,
    media = [],
    mediaInPages = false,
    everything = false,
  }: {
    readonly paths: readonly string[]
    readonly groups: readonly string[]
    readonly media?: readonly string[]
    readonly mediaInPages?: boolean
    readonly everything?: boolean
  },
  settings: ContentEventSettings,
): PurgeWhat[] => {
  if (everything || (mediaInPages && media.length > 0)) return [{ kind: 'everything' }]
  const files: PurgeWhat[] = media.length === 0 ? [] : [{ kind: 'paths', paths: [...new Set(media)] }]
  if (paths.length + groups.length === 0) return files
  const rules = settings.rules.filter((rule) => paths.some(pathPatterns(rule.paths)))
  const named = new Set(paths)
  if (settings.home) named.add('/')
  if (settings.lists) for (const path of paths) for (const list of listsAbove(path)) named.add(list)
  const allGroups = [...new Set([...groups, ...rules.flatMap(({ alsoGroups }) => alsoGroups)])]
  const patterns = [...new Set([...settings.feeds, ...rules.flatMap(({ alsoPaths }) => alsoPaths)])]
  return [
    ...files,
    { kind: 'paths', paths: [...named] },
    ...(settings.dependants && paths.length > 0 ? [{ kind: 'dependants' as const, of: [...paths] }] : []),
    ...patterns.map((pattern): PurgeWhat => ({ kind: 'pattern', pattern })),
    ...(allGroups.length === 0 ? [] : [{ kind: 'groups', groups: allGroups } as const]),
  ]
}
