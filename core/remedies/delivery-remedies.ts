import type { Remedy } from './remedy.ts'

export const pageCache: Remedy<'pageCache'> = {
  id: 'pageCache',
  name: 'Page cache',
  reach: 'delivery',
  inShort: 'Keep finished pages and hand them out without asking the origin.',
  does: 'The first visitor of a page waits for the origin as before. Its answer is kept, and everyone after gets the copy within milliseconds until its lifetime ends or the page changes.',
  helps:
    'When the server wait is a large part of the time to the main content, and most visitors are signed out.',
  avoid:
    'For pages that differ from visitor to visitor at the same address without a cookie that tells them apart.',
  couldBreak:
    'A page that should be personal could be shared, or an edit could show late if the site does not tell Zest Lamp about it.',
  lookAt: 'The page signed in and signed out, the basket, and a page right after you edited it.',
  undo: 'Switch it off: the next request goes to the origin again. Nothing on your site was changed.',
  options: [
    {
      key: 'lifetimeS',
      group: 'Lifetimes',
      label: 'Lifetime of pages',
      hint: 'Used where the origin gives none.',
      input: { kind: 'duration' },
    },
    {
      key: 'fileLifetimeS',
      group: 'Lifetimes',
      label: 'Lifetime of files',
      hint: 'Pictures, styles and scripts whose origin gives none.',
      input: { kind: 'duration' },
    },
    {
      key: 'apiLifetimeS',
      group: 'Lifetimes',
      label: 'Lifetime of data',
      hint: 'JSON answers whose origin gives none; 0 means: not stored.',
      input: { kind: 'duration' },
    },
    {
      key: 'staleWhileRevalidateS',
      group: 'Lifetimes',
      label: 'Stale while refreshing',
      hint: 'How long past its lifetime a page may still be handed out while a new one is fetched, so that nobody waits.',
      input: { kind: 'duration' },
    },
    {
      key: 'staleIfErrorS',
      group: 'Lifetimes',
      label: 'Stale on error',
      hint: 'How long past its lifetime a page may be handed out while the origin fails.',
      input: { kind: 'duration' },
    },
    {
      key: 'kinds',
      group: 'Kinds of pages',
      label: 'Kinds of pages',
      hint: 'Pages with a lifetime or rules of their own, told by their paths.',
      input: { kind: 'kinds' },
    },
    {
      key: 'passPaths',
      group: 'What passes through',
      label: 'Addresses that pass through',
      hint: 'These and all below them always go to the origin.',
      input: { kind: 'patterns', placeholder: '/basket' },
    },
    {
      key: 'passParameters',
      group: 'What passes through',
      label: 'Query parameters that pass through',
      hint: 'An address with one of these always goes to the origin.',
      input: { kind: 'patterns', placeholder: 'preview' },
    },
    {
      key: 'visitorCookies',
      group: 'Cookies',
      label: 'Cookies of one visitor',
      hint: 'Visitors who have one of these always get their own page from the origin.',
      input: { kind: 'patterns', placeholder: '*session*' },
    },
    {
      key: 'harmlessCookies',
      group: 'Cookies',
      label: 'Harmless cookies',
      hint: 'Known never to change a page. Any other cookie makes the request pass through.',
      input: { kind: 'patterns', placeholder: 'consent*' },
    },
    {
      key: 'authorCookies',
      group: 'Cookies',
      label: 'Cookies of comment authors',
      hint: 'Who has written a comment passes through, to see it while it waits.',
      input: { kind: 'patterns', placeholder: 'comment_author*' },
    },
    {
      key: 'signedIn',
      group: 'Signed-in visitors',
      label: 'Signed-in visitors',
      hint: 'Private copies are kept in memory, for one visitor each; whatever that visitor sends to the site ends them.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'pass', title: 'pass through to the origin' },
          { value: 'private', title: 'get private copies of their own' },
        ],
      },
    },
    {
      key: 'privateLifetimeS',
      group: 'Signed-in visitors',
      label: 'Lifetime of private copies',
      hint: 'Short: nobody tells Zest Lamp what changes for one visitor.',
      input: { kind: 'duration' },
    },
    {
      key: 'fragments',
      group: 'Signed-in visitors',
      label: 'Live fragments',
      hint: 'fill in Edge Side Includes, so that a page with a basket count can be stored.',
      input: { kind: 'switch' },
    },
    {
      key: 'ignoredParameters',
      group: 'What makes another page',
      label: 'Ignored query parameters',
      hint: 'Campaign marks that do not make another page.',
      input: { kind: 'patterns', placeholder: 'utm_*' },
    },
    {
      key: 'sortParameters',
      group: 'What makes another page',
      label: 'Parameters in any order',
      hint: 'the same parameters in another order make the same page.',
      input: { kind: 'switch' },
    },
    {
      key: 'deviceClasses',
      group: 'What makes another page',
      label: 'Copies per device',
      hint: 'one for phones, one for everything else; only if the site sends them different pages.',
      input: { kind: 'switch' },
    },
    {
      key: 'obeyRequestDirectives',
      group: 'Finer points of the standard',
      label: 'Follow the request',
      hint: 'a forced reload asks the origin; otherwise visitors cannot make the site work.',
      input: { kind: 'switch' },
    },
    {
      key: 'staleBesideSharedLifetime',
      group: 'Finer points of the standard',
      label: 'Stale beside s-maxage',
      hint: 'follow the origin’s stale-while-revalidate also where s-maxage by the standard forbids it.',
      input: { kind: 'switch' },
    },
  ],
}

export const compression: Remedy<'compression'> = {
  id: 'compression',
  name: 'Compression',
  reach: 'delivery',
  inShort: 'Send text files as Brotli or gzip, half to two thirds smaller.',
  does: 'Pages, styles, scripts and other text are compressed once, kept in each form, and sent in the smallest form the browser says it takes.',
  helps: 'On every link, most on slow ones, when the origin sends text uncompressed.',
  avoid: 'When something between Zest Lamp and your visitors compresses already.',
  couldBreak:
    'Nothing in the page: browsers decode to the same bytes. Pictures and video are left alone, they gain nothing.',
  lookAt: 'The sizes in the waterfall: sent against decoded.',
  undo: 'Switch it off: files are sent as the origin made them.',
  options: [
    {
      key: 'brotli',
      label: 'Brotli',
      hint: 'smaller than gzip; taken by all current browsers.',
      input: { kind: 'switch' },
    },
    { key: 'gzip', label: 'gzip', hint: 'for everything else.', input: { kind: 'switch' } },
    {
      key: 'leastBytes',
      label: 'Leave alone below',
      hint: 'Very small files gain nothing.',
      input: { kind: 'bytes' },
    },
  ],
}

export const browserCache: Remedy<'browserCache'> = {
  id: 'browserCache',
  name: 'Browser cache',
  reach: 'delivery',
  inShort: 'Tell browsers how long they may keep files, so that a return visit loads little but the page.',
  does: 'Files whose origin says nothing get a lifetime by type. Pages are checked on each visit with a short question, so that a change shows at once.',
  helps: 'On return visits and from page to page. A first visit with an empty browser gains nothing.',
  avoid:
    'For files that change under the same address and must be new at once: a browser cannot be told to forget.',
  couldBreak:
    'After you change a style or script under the same address, returning visitors may see the old one until its lifetime ends.',
  lookAt: 'A second visit: which files were asked for again?',
  undo: 'Switch it off for new visitors. Copies already in browsers stay until their lifetime ends.',
  options: [
    { key: 'pageS', label: 'Pages', hint: '0 means: checked on each visit.', input: { kind: 'duration' } },
    { key: 'styleS', label: 'Styles', hint: 'Style sheets.', input: { kind: 'duration' } },
    { key: 'scriptS', label: 'Scripts', hint: 'JavaScript files.', input: { kind: 'duration' } },
    { key: 'imageS', label: 'Pictures', hint: 'All image types.', input: { kind: 'duration' } },
    { key: 'fontS', label: 'Fonts', hint: 'Font files hardly ever change.', input: { kind: 'duration' } },
    { key: 'mediaS', label: 'Sound and video', hint: 'Audio and video files.', input: { kind: 'duration' } },
    {
      key: 'fingerprinted',
      label: 'Names with a digest',
      hint: 'such files are kept for a year and never asked about again.',
      input: { kind: 'switch' },
    },
    {
      key: 'edgePageS',
      label: 'Pages at a CDN in front',
      hint: 'Said to CDNs only, apart from browsers; 0 means: nothing is said.',
      input: { kind: 'duration' },
    },
  ],
}
