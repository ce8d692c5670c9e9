/** Units in types, so that an instant is never added to a duration by accident. */

/** A duration in whole or fractional seconds: a lifetime, an age. */
export type Seconds = number & { readonly unit: 's' }
/** A duration in milliseconds: a round trip, a paint time since navigation start. */
export type Milliseconds = number & { readonly unit: 'ms' }
/** An instant: milliseconds since 1970-01-01T00:00:00Z. */
export type EpochMs = number & { readonly unit: 'epoch ms' }

export const seconds = (value: number): Seconds => value as Seconds
export const milliseconds = (value: number): Milliseconds => value as Milliseconds
export const epochMs = (value: number): EpochMs => value as EpochMs

/** The instant a duration after another. */
export const after = (at: EpochMs, by: Seconds): EpochMs => epochMs(at + by * 1000)

/** Seconds from one instant to a later one; negative when `to` is earlier. */
export const secondsBetween = (from: EpochMs, to: EpochMs): Seconds => seconds((to - from) / 1000)
