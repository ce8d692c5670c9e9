import { emptyRoutine } from '../../core/contracts/routine.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'

/** For tests: a site with two pages, the two visitors it comes with, and one journey. */
export const aSite = (more: Partial<Site> = {}): Site => ({
  id: 'quay',
  name: 'Quay',
  address: 'http://quay.example',
  hostHeader: 'visitor',
  publicAddress: null,
  liveHost: 'www.quay.example',
  trialHost: 'trial.quay.example',
  liveUrl: 'http://www.quay.example',
  trialUrl: 'http://trial.quay.example',
  trialKey: 'k',
  originKey: null,
  liveSecureUrl: 'https://www.quay.example',
  certificate: null,
  liveVersion: 1,
  createdAt: '2026-11-26T08:00:00.000Z',
  hostCache: null,
  scheduledWork: null,
  check: {
    address: 'http://quay.example',
    publicAddress: null,
    sitemap: null,
    name: 'Quay',
    suggestedHosts: { live: 'www.quay.example', trial: 'trial.quay.example' },
    findings: [],
    kinds: [],
    sample: [],
  },
  sample: [
    { id: 'home', path: '/', kind: 'Home' },
    { id: 'shop', path: '/shop', kind: 'Shop' },
  ],
  visitors: [...DEFAULT_VISITORS],
  places: { origin: null, hosts: [] },
  hosts: { added: [], privateAddresses: 'refused' },
  journeys: [
    {
      id: 'basket',
      name: 'Into the basket',
      steps: [
        { do: 'open', path: '/shop' },
        { do: 'click', target: 'Add' },
      ],
    },
  ],
  routine: emptyRoutine(),
  changes: {
    told: 'calls',
    lifetimes: 'short',
    watching: { enabled: true, works: false, at: null, problem: null, sources: [] },
  },
  ...more,
})
