/** Some lines of a file, and how much of the file has been read. */
export interface ReadLines {
  readonly lines: readonly string[]
  /** Of all bytes, 0 to 1. */
  readonly share: number
}

/** A line longer than this is none: it is cut, so that a file without line ends does not fill the memory. */
const LONGEST_LINE = 100_000

const isPacked = async (file: Blob): Promise<boolean> => {
  // RFC 1952 §2.3.1
  const [first, second] = new Uint8Array(await file.slice(0, 2).arrayBuffer())
  return first === 0x1f && second === 0x8b
}

/** The lines of a text file, or of one packed by gzip, piece by piece: a log may be larger than memory. */
export const linesOf = async function* (file: Blob): AsyncGenerator<ReadLines> {
  let read = 0
  const counted = file.stream().pipeThrough(
    new TransformStream<Uint8Array<ArrayBuffer>, Uint8Array<ArrayBuffer>>({
      transform: (chunk, controller) => {
        read += chunk.length
        controller.enqueue(chunk)
      },
    }),
  )
  const plain = (await isPacked(file)) ? counted.pipeThrough(new DecompressionStream('gzip')) : counted
  const reader = plain.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  try {
    for (;;) {
      const { done, value } = await reader.read()
      if (done) break
      const lines = (rest + value).split('\n')
      rest = (lines.pop() ?? '').slice(0, LONGEST_LINE)
      yield { lines, share: Math.min(1, read / file.size) }
    }
    yield { lines: [rest], share: 1 }
  } finally {
    // Whoever stops early lets go of the file.
    await reader.cancel()
  }
}
