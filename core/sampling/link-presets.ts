import type { VisitorProfile } from '../contracts/measuring.ts'

/** Access links from poor to good, as visitors commonly have them (common practice). */
export interface LinkPreset extends Pick<VisitorProfile, 'roundTripMs' | 'downKbps' | 'upKbps' | 'lossPercent'> {
  readonly id: string
  readonly name: string
}

export const LINK_PRESETS: readonly LinkPreset[] = [
  { id: 'edge', name: 'Edge of coverage', roundTripMs: 450, downKbps: 320, upKbps: 160, lossPercent: 2 },
  { id: 'poor-mobile', name: 'Poor mobile', roundTripMs: 180, downKbps: 1300, upKbps: 500, lossPercent: 0.5 },
  { id: 'mobile', name: 'Typical mobile', roundTripMs: 85, downKbps: 7500, upKbps: 2400, lossPercent: 0 },
  {
    id: 'good-mobile',
    name: 'Good mobile',
    roundTripMs: 45,
    downKbps: 32_000,
    upKbps: 9000,
    lossPercent: 0,
  },
  { id: 'home', name: 'Home line', roundTripMs: 24, downKbps: 45_000, upKbps: 12_000, lossPercent: 0 },
  { id: 'fibre', name: 'Fibre', roundTripMs: 5, downKbps: 300_000, upKbps: 200_000, lossPercent: 0 },
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
