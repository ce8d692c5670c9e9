/** Milliseconds left of a number of like steps, from how long those so far took in this process. @param all steps */
export const stepEstimate = (all: number): { left: (done: number) => number | null } => {
  const startedAt = performance.now()
  let first: number | undefined
  return {
    left: (done) => {
      first ??= done
      return done === first ? null : ((performance.now() - startedAt) / (done - first)) * (all - done)
    },
  }
}
