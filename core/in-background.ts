/**
 * Let work go on by itself, nobody waiting for it. Its error is never lost: whoever begins it says who hears of it.
 * @param onError told of what went wrong
 */
export const inBackground = (work: Promise<unknown>, onError: (error: unknown) => void): void => {
  work.catch(onError)
}
