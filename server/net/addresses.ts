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
}

/** For whoever needs to know where things are reached. */
export interface HasAddresses {
  readonly addresses: Addresses
}
