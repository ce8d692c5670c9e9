import { expect, test } from 'vitest'
import { searchListing } from './search-listing.ts'

test.each([
  ['', { indexed: 'yes', canonical: undefined }],
  ['<meta name="Robots" content="NoIndex, nofollow">', { indexed: 'no', canonical: undefined }],
  ['<meta name=description content="noindex">', { indexed: 'yes', canonical: undefined }],
  // RFC 6596 §5.
  [
    '<link rel="nofollow canonical" href="https://www.quay.example/">',
    { indexed: 'yes', canonical: 'https://www.quay.example/' },
  ],
  ['<p>&lt;link rel=canonical href=x></p>', { indexed: 'yes', canonical: undefined }],
])('%s', (html, listing) => expect(searchListing(html)).toEqual(listing))
test('markup that never ends is read in one pass', () => {
  expect(searchListing('<meta '.repeat(2_000_000))).toEqual({ indexed: 'yes', canonical: undefined })
})
