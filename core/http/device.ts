import { fieldValue, type Fields } from './fields.ts'

/** Classes of devices that sites send different pages to. */
export type DeviceClass = 'phone' | 'other'

/**
 * Class of the device a request comes from: what the browser says outright (User-Agent Client Hints, Sec-CH-UA-Mobile), else the
 * "Mobi" that all phone browsers have in User-Agent (common practice).
 */
export const deviceClass = (fields: Fields): DeviceClass => {
  const hint = fieldValue(fields, 'sec-ch-ua-mobile')
  if (hint !== undefined) return hint.trim() === '?1' ? 'phone' : 'other'
  return /Mobi/i.test(fieldValue(fields, 'user-agent') ?? '') ? 'phone' : 'other'
}

/** What browsers that take AVIF say with their wish for a page, as far as it counts here (RFC 9110 §12.5.1). */
export const PAGE_ACCEPT = 'text/html,image/avif,image/webp,*/*;q=0.8'

/** What the origin is told when JSON is wanted. */
export const DATA_ACCEPT = 'application/json,*/*;q=0.5'

/**
 * What the origin is told of the device when the answer will be shared: one text for each class, so that no odd browser, and nobody
 * who makes one up, decides how a page looks for everyone after.
 */
export const USER_AGENT: Record<DeviceClass, string> = {
  phone:
    'Mozilla/5.0 (Linux; Android 10; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Mobile Safari/537.36',
  other: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36',
}
