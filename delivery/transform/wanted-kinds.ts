import type { Remedies } from '../../core/contracts/setup.ts'
import type { FileFactsKind } from '../../core/page/context/file-facts.ts'

/** Which remedies make something of which kind of file, so that nothing is fetched for nothing. */
export const wantedKinds = (remedies: Remedies): ReadonlySet<FileFactsKind> => {
  const {
    minify,
    fingerprint,
    images,
    fonts,
    localCopies,
    combine,
    unusedStyles,
    criticalStyles,
    scriptOrder,
    unusedScripts,
    hints,
  } = remedies
  const wanted = new Set<FileFactsKind>()
  const when = (condition: boolean, kind: FileFactsKind): void => void (condition && wanted.add(kind))
  when((minify.enabled && minify.styles) || fingerprint.enabled || images.enabled || fonts.enabled, 'style')
  when(combine.enabled || unusedStyles.enabled || criticalStyles.enabled || hints.enabled, 'style')
  when((minify.enabled && minify.scripts) || (fingerprint.enabled && fingerprint.scripts), 'script')
  when(
    localCopies.enabled || combine.enabled || unusedStyles.enabled || scriptOrder.enabled || unusedScripts.enabled,
    'script',
  )
  when(images.enabled || (fingerprint.enabled && fingerprint.images) || (minify.enabled && minify.svg), 'image')
  when(fonts.enabled || (fingerprint.enabled && fingerprint.fonts), 'font')
  return wanted
}
