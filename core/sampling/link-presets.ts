import type { VisitorProfile } from '../contracts/measuring.ts'

/** Access links from poor to good, as visitors commonly have them (common practice). */
export interface LinkPreset extends Pick<VisitorProfile, 'roundTripMs' | 'downKbps' | 'upKbps' | 'lossPercent'> {
  readonly id: string
  readonly name: string
}

export const LINK_PRESETS: readonly LinkPreset[] = [
  { id: 'edge', name: 'Edge of coverage', roundTripMs: 400, downKbps: 400, upKbps: 200, lossPercent: 2 },
  { id: 'poor-mobile', name: 'Poor mobile', roundTripMs: 150, downKbps: 1600, upKbps: 768, lossPercent: 0.5 },
  { id: 'mobile', name: 'Middling mobile', roundTripMs: 70, downKbps: 9000, upKbps: 3000, lossPercent: 0 },
  {
    id: 'good-mobile',
    name: 'Good mobile',
    roundTripMs: 40,
    downKbps: 40_000,
    upKbps: 12_000,
    lossPercent: 0,
  },
  { id: 'home', name: 'Home line', roundTripMs: 28, downKbps: 40_000, upKbps: 10_000, lossPercent: 0 },
  { id: 'fibre', name: 'Fibre', roundTripMs: 6, downKbps: 250_000, upKbps: 250_000, lossPercent: 0 },
]

/** The preset that a visitor's link is, if it is one. */
export const presetOf = (visitor: VisitorProfile): LinkPreset | undefined =>
  LINK_PRESETS.find(
    (preset) =>
      preset.roundTripMs === visitor.roundTripMs &&
      preset.downKbps === visitor.downKbps &&
      preset.upKbps === visitor.upKbps &&
      preset.lossPercent === visitor.lossPercent,
  )
