import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto'
import { promisify } from 'node:util'

const scryptAsync = promisify(scrypt) as (
  password: string,
  salt: Buffer,
  length: number,
  options: { N: number; r: number; p: number; maxmem: number },
) => Promise<Buffer>

/** OWASP Password Storage Cheat Sheet (from memory): scrypt with N = 2^15, r = 8, p = 3 is one of the recommended settings. */
const COST = { N: 2 ** 15, r: 8, p: 3, maxmem: 128 * 1024 * 1024 }
const LENGTH = 32

/** A hash that carries its own salt and cost: `scrypt$N$r$p$salt$hash`. */
export const hashPassword = async (password: string): Promise<string> => {
  const salt = randomBytes(16)
  const hash = await scryptAsync(password.normalize('NFKC'), salt, LENGTH, COST)
  return ['scrypt', COST.N, COST.r, COST.p, salt.toString('base64url'), hash.toString('base64url')].join('$')
}

export const passwordFits = async (password: string, stored: string): Promise<boolean> => {
  const [scheme, n, r, p, salt, hash] = stored.split('$')
  if (scheme !== 'scrypt' || salt === undefined || hash === undefined) return false
  const expected = Buffer.from(hash, 'base64url')
  const cost = { N: Number(n), r: Number(r), p: Number(p), maxmem: COST.maxmem }
  const got = await scryptAsync(password.normalize('NFKC'), Buffer.from(salt, 'base64url'), expected.length, cost)
  return timingSafeEqual(got, expected)
}

/** 256 bits, so that guessing is hopeless and a plain digest is enough to keep. */
export const newToken = (): string => randomBytes(32).toString('base64url')
export const digestToken = (token: string): string => createHash('sha256').update(token).digest('base64url')
export const newId = (): string => randomBytes(8).toString('hex')
