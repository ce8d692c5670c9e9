/** RFC 6928 §2: initial window of ten segments. */
export const INITIAL_WINDOW_SEGMENTS = 10
/** Segment size of an Ethernet path: 1500 bytes less 40 of IP and TCP headers. */
export const SEGMENT_BYTES = 1460

/**
 * Round trips beyond the first that slow start adds to a transfer on a link of unlimited rate: the window doubles each
 * round trip (RFC 5681 §3.1), so k round trips carry window · (2^k - 1) bytes.
 * @param bytes size of the transfer
 * @param window congestion window at the start, bytes
 * @returns whole round trips, 0 when the first window holds everything
 */
export const slowStartRounds = (bytes: number, window: number = INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES): number => {
  let rounds = 0
  let sent = window
  for (let size = window; sent < bytes; rounds++) {
    size *= 2
    sent += size
  }
  return rounds
}

/** A link as a page load feels it. */
export interface LinkRate {
  /** Round-trip time, ms. */
  readonly roundTripMs: number
  /** Rate towards the visitor, bit/s. */
  readonly downBitsPerS: number
}

/**
 * Time from sending a request on an open connection to the last byte of the answer, ms: slow start until the window fills
 * the link, then the link's rate. One transfer alone on the link, server wait zero.
 */
export const transferMs = (
  bytes: number,
  link: LinkRate,
  window: number = INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES,
): number => {
  const bytesPerMs = link.downBitsPerS / 8000
  const product = bytesPerMs * link.roundTripMs
  let left = bytes
  let elapsed = link.roundTripMs
  let size = window
  // While the window is below the bandwidth-delay product the sender waits for acknowledgements each round trip.
  while (size < product && left > size) {
    left -= size
    elapsed += link.roundTripMs
    size *= 2
  }
  return elapsed + left / bytesPerMs
}
