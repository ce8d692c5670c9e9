/** A prediction is off by several per cent: less than this says nothing. */
const LEAST_GAIN_MS = 20

/** Whether a predicted gain is more than the model's own error can make up. @param ms gain, either sign */
export const isSignificant = (ms: number): boolean => Math.abs(ms) >= LEAST_GAIN_MS
