import type { OriginTrouble } from '../../core/http/cache-status.ts'

/** The origin gave no usable answer, or was not even asked. */
export class OriginFailure extends Error {
  readonly kind: OriginTrouble
  constructor(kind: OriginTrouble, message: string, options?: ErrorOptions) {
    super(message, options)
    this.kind = kind
  }
}
