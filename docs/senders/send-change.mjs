// Tells Zest Lamp that pages have changed. Needs nothing but Node 18 or later.
import { createHmac } from 'node:crypto'

/**
 * @param {string[]} pages addresses or paths of pages that have changed; ['everything'] when menus, theme or settings have
 * @param {object} where
 * @param {string} where.address "Address for changes" under Site, in Zest Lamp
 * @param {string} [where.hmacField] the field for an HMAC, where one is set there
 * @param {string} [where.secret] the secret shown there
 * @returns {Promise<{ purged: number, paths: string[] }>} how many stored answers were removed
 * @throws {Error} with what Zest Lamp said
 */
export const sendChange = async (pages, { address, hmacField, secret }) => {
  const body = JSON.stringify(pages)
  const headers = { 'content-type': 'application/json' }
  if (hmacField) headers[hmacField] = createHmac('sha256', secret).update(body).digest('hex')
  const answer = await fetch(address, { method: 'POST', headers, body, signal: AbortSignal.timeout(15_000) })
  const told = await answer.json()
  if (!answer.ok) throw new Error(told.detail ?? `Zest Lamp answered with status ${answer.status}.`)
  return told
}

// node send-change.mjs PAGE…, with ZEST_CHANGES, and ZEST_HMAC_FIELD and ZEST_SECRET where they are needed
if (process.argv[1] === new URL(import.meta.url).pathname) {
  const { ZEST_CHANGES, ZEST_HMAC_FIELD, ZEST_SECRET } = process.env
  const where = { address: ZEST_CHANGES, hmacField: ZEST_HMAC_FIELD, secret: ZEST_SECRET }
  console.log(JSON.stringify(await sendChange(process.argv.slice(2), where)))
}
