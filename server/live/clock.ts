/** For whoever needs the time. */
export interface HasClock {
  readonly now: () => Date
}
