/** RFC 6761 §6.3: "localhost." and every name below it mean this machine, also where a resolver does not know them. */
export const isLocalhostName = (hostname: string): boolean => /^(?:.+\.)?localhost\.?$/i.test(hostname)

/** What to connect to for a host name. */
export const connectHost = (hostname: string): string => (isLocalhostName(hostname) ? '127.0.0.1' : hostname)
