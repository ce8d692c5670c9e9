/** Sends to delivery what the database holds. Sites own this port; release/ fills it. */
export interface Publishing {
  /** Resolves once delivery runs on what the database holds. @throws DeliveryUnavailable, and goes on trying in the background */
  publish(): Promise<void>
  /** The same for when nobody waits for the result. */
  publishBehind(): void
}

/** For whoever changes what delivery goes by. */
export interface HasPublisher {
  readonly publisher: Publishing
}
