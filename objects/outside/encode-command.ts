/** A command as it is sent (protocol specification, "Sending commands": an array of bulk strings). */
export const encodeCommand = (words: readonly (string | Uint8Array)[]): Buffer => {
  const parts: Uint8Array[] = [Buffer.from(`*${words.length}\r\n`)]
  for (const word of words) {
    const bytes = typeof word === 'string' ? Buffer.from(word) : word
    parts.push(Buffer.from(`$${bytes.length}\r\n`), bytes, LINE_END)
  }
  return Buffer.concat(parts)
}

const LINE_END = Buffer.from('\r\n')
