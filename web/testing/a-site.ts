import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import type { Site } from '../../core/contracts/sites.ts'

/** For tests: a site with two pages, the two visitors it comes with, and one journey; only what screens read of it. */
export const aSite = (more: Partial<Site> = {}): Site =>
  ({
    id: 'quay',
    name: 'Quay',
    address: 'http://quay.example',
    sample: [
      { id: 'home', path: '/', kind: 'Home' },
      { id: 'shop', path: '/shop', kind: 'Shop' },
    ],
    visitors: [...DEFAULT_VISITORS],
    journeys: [{ id: 'basket', name: 'Into the basket', path: '/shop', steps: [] }],
    ...more,
  }) as Site
