import type { Setup } from '../contracts/setup.ts'

/** The setup with some remedies on, each as it is set; nothing is switched off. */
export const switchedOn = (setup: Setup, remedies: readonly string[]): Setup => ({
  ...setup,
  remedies: Object.fromEntries(
    Object.entries(setup.remedies).map(([id, settings]) => [
      id,
      remedies.includes(id) ? { ...settings, enabled: true } : settings,
    ]),
  ) as Setup['remedies'],
})
