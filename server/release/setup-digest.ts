import { createHash } from 'node:crypto'
import { Setup } from '../../core/contracts/setup.ts'

/** The same for the same settings. Setups are parsed before, which puts their keys in the order of the schema. */
export const setupDigest = (setup: Setup): string =>
  createHash('sha256')
    .update(JSON.stringify(Setup.parse(setup)))
    .digest('base64url')
