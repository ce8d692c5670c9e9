import { createHash, createHmac, randomUUID } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { COVERED, signatureBase, signatureParams } from '../../core/formats/http-signature.ts'

/** Where content events go; written by whoever connects the site. */
export interface EventTarget {
  readonly url: string
  readonly secret: string
  readonly keyid: string
}

const ATTEMPTS = 5
const FIRST_PAUSE_MS = 500

const readTarget = async (path: string): Promise<EventTarget | undefined> =>
  readFile(path, 'utf8').then(
    (text) => JSON.parse(text) as EventTarget,
    () => undefined,
  )

const send = async (target: EventTarget, body: string): Promise<boolean> => {
  const digest = `sha-256=:${createHash('sha256').update(body).digest('base64')}:`
  const params = signatureParams(COVERED, {
    created: Math.floor(Date.now() / 1000),
    nonce: randomUUID(),
    keyid: target.keyid,
  })
  const values: Record<string, string> = {
    '@method': 'POST',
    '@path': new URL(target.url).pathname,
    'content-digest': digest,
  }
  const signature = createHmac('sha256', target.secret)
    .update(signatureBase(COVERED, (name) => values[name]!, params))
    .digest('base64')
  const response = await fetch(target.url, {
    method: 'POST',
    body,
    headers: {
      'content-type': 'application/json',
      'content-digest': digest,
      'signature-input': `sig1=${params}`,
      signature: `sig1=:${signature}:`,
    },
    signal: AbortSignal.timeout(3000),
  }).catch(() => undefined)
  return response?.ok === true
}

/**
 * Tell whoever stands in front of the site what changed. Resolves after the first attempt, so that an editor's next look at the
 * page is already the new one; further attempts go on behind.
 */
export const tellOfChange = async (targetPath: string, change: string, paths: readonly string[]): Promise<void> => {
  const target = await readTarget(targetPath)
  if (target === undefined) return
  const body = JSON.stringify({ change, paths })
  if (await send(target, body)) return
  void (async () => {
    for (let attempt = 1; attempt < ATTEMPTS; attempt++) {
      await new Promise((resolve) => setTimeout(resolve, FIRST_PAUSE_MS * 2 ** attempt))
      if (await send(target, body)) return
    }
  })()
}
