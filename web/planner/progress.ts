/** How far work has come; in whatever it is counted in. */
export interface Progress {
  readonly done: number
  readonly total: number
  /** null: too early to tell. */
  readonly msLeft: number | null
}

export const BEGUN: Progress = { done: 0, total: 1, msLeft: null }

/** Takes steps of work and makes progress of them. @param show what becomes of it */
export const progressing = (show: (progress: Progress) => void): ((done: number, total: number) => void) => {
  const began = performance.now()
  show(BEGUN)
  return (done, total) => show({ done, total, msLeft: ((performance.now() - began) / done) * (total - done) })
}
