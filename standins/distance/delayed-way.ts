import { connect, createServer, type Server, type Socket } from 'node:net'

/** Bytes that wait on the way of one direction; then whoever sends waits too. */
const MOST_ON_THE_WAY = 4 * 1024 * 1024

/** Pass on in order what comes, each piece so much later. */
const oneWay = (from: Socket, to: Socket, delayMs: number): void => {
  let onTheWay = 0
  const later = (act: () => void): void => void setTimeout(() => to.destroyed || act(), delayMs)
  from.on('data', (bytes: Buffer) => {
    onTheWay += bytes.length
    if (onTheWay > MOST_ON_THE_WAY) from.pause()
    later(() => {
      to.write(bytes)
      onTheWay -= bytes.length
      if (onTheWay <= MOST_ON_THE_WAY) from.resume()
    })
  })
  from.on('end', () => later(() => to.end()))
  from.on('close', () => later(() => to.destroySoon()))
  from.on('error', () => from.destroy())
}

/**
 * A long way to a port of this machine: connecting takes a round trip, and everything that is sent arrives half a round trip later.
 * @param roundTripMs ms
 */
export const delayedWay = (targetPort: number, roundTripMs: number): Server =>
  createServer({ allowHalfOpen: true, noDelay: true }, (near) => {
    const far = connect({ host: '127.0.0.1', port: targetPort, allowHalfOpen: true, noDelay: true })
    near.pause()
    near.on('error', () => near.destroy())
    far.once('error', () => near.destroy())
    // SYN and SYN-ACK have been on the way before the first byte could be.
    far.once('connect', () =>
      setTimeout(() => {
        oneWay(near, far, roundTripMs / 2)
        oneWay(far, near, roundTripMs / 2)
        near.resume()
      }, roundTripMs),
    )
  })
