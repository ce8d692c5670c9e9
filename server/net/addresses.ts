/** Where things are reached, as told at start. */
export interface Addresses {
  /** Port of control. */
  readonly controlPort: number
  /** Port of delivery for HTTP. */
  readonly deliveryPort: number
  /** Port of delivery for HTTPS. */
  readonly securePort: number
  /** Port of the object cache. */
  readonly objectsPort: number
  /** Name or address that content systems reach the object cache by, and whether over TLS. */
  readonly objectsHost?: string
  readonly objectsSecure?: boolean
}

/** For whoever needs to know where things are reached. */
export interface HasAddresses {
  readonly addresses: Addresses
}
