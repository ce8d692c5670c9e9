import type { Remedies } from '../contracts/setup.ts'

/** Largest main picture, as AVIF, that is put into pages for phones, bytes; 0: none is. */
export const inlineLcpImageBytes = ({ hints, images }: Pick<Remedies, 'hints' | 'images'>): number =>
  hints.enabled && hints.preloadMain && images.enabled && images.avif ? hints.mainInPageKb * 1000 : 0

/** Whether copies for phones are kept apart from all others: because the owner says so, or because remedies make other pages for them. */
export const isKeptByDevice = (remedies: Remedies): boolean =>
  remedies.pageCache.deviceClasses ||
  (remedies.criticalStyles.enabled && remedies.criticalStyles.perDevice) ||
  inlineLcpImageBytes(remedies) > 0
