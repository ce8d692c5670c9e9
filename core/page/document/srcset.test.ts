import { describe, expect, test } from 'vitest'
import { srcsetAddresses } from './srcset.ts'

describe('addresses of a srcset', () => {
  // Cases of the HTML standard's own rules for parsing one (4.8.4.2.2, "Parsing a srcset attribute").
  test.each([
    ['/a.jpg 480w, /b.jpg 960w', ['/a.jpg', '/b.jpg']],
    ['/a.jpg, /b.jpg 2x', ['/a.jpg', '/b.jpg']],
    ['/a.jpg 1x,/b.jpg 2x', ['/a.jpg', '/b.jpg']],
    ['/a,b.jpg 1x, /c.jpg 2x', ['/a,b.jpg', '/c.jpg']],
    ['data:image/gif;base64,R0 1x, /c.jpg 2x', ['data:image/gif;base64,R0', '/c.jpg']],
    ['/a.jpg 480w 2x', []],
    ['', []],
  ])('%s', (text, addresses) => {
    const found = srcsetAddresses(text)
    expect(found.map(({ address }) => address)).toEqual(addresses)
    for (const { address, at } of found) expect(text.slice(at, at + address.length)).toBe(address)
  })
})
