/**
 * Limits of the public listeners. Common practice: far above what browsers and content systems do, low enough that one visitor cannot use the
 * process up.
 */

/** No browser sends more, and larger ones are attacks or runaway cookies. Node answers 431. */
export const LARGEST_HEADER_BYTES = 32 * 1024
/** Longest path and query; RFC 9110 §4.1 asks for 8,000 octets at least. */
export const LONGEST_TARGET = 8192
/** Largest body of a request. Longer uploads are cut off, and answered 413 where nothing was sent yet. */
export const LARGEST_UPLOAD_BYTES = 4 * 1024 * 1024 * 1024
/** Time to send the header section, ms; against visitors who send a byte now and then. */
export const HEADERS_TIMEOUT_MS = 20_000
/** How often it is looked whether a connection has used up its time, ms. */
export const CHECKING_MS = 5000
/** Streams that one connection of HTTP/2 may have open. */
export const MOST_STREAMS = 128
/** How long a connection stays open between requests, ms. */
export const KEEP_ALIVE_MS = 75_000
/** How long nothing may move on a connection that is in use, ms: a reader who stopped reading, an upload that stopped. */
export const STALLED_MS = 120_000
/** Connections at once, and of one address; loopback is not held to the second, since proxies and tests come from there. */
export const MOST_CONNECTIONS = 20_000
export const MOST_CONNECTIONS_OF_ONE = 2000
