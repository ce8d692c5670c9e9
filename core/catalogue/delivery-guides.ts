import type { RemedyGuide } from './remedy.ts'

export const pageCache: RemedyGuide<'pageCache'> = {
  does: 'The first visitor of a page waits for your server (origin) as before. Its response is stored, and everyone after that gets the copy within milliseconds until its lifetime ends or the page changes.',
  helps: 'When the server wait is a large part of the time to main content, and most visitors are signed out.',
  avoid: 'For pages that differ between visitors at the same address without a cookie that distinguishes them.',
  couldBreak:
    'A personal page could be shared, or an edit could appear late if your site does not tell Zest Lamp about it.',
  lookAt: 'A page signed in and signed out, the basket, and a page right after you edit it.',
  undo: 'Switch it off: the next request goes to your server again. Nothing on your site was changed.',
  options: [
    {
      key: 'lifetimeS',
      group: 'Lifetimes',
      label: 'Lifetime of pages',
      hint: 'Used where your server (origin) gives none.',
      input: { kind: 'duration' },
    },
    {
      key: 'fileLifetimeS',
      group: 'Lifetimes',
      label: 'Lifetime of files',
      hint: 'Pictures, styles and scripts for which your server gives none.',
      input: { kind: 'duration' },
    },
    {
      key: 'apiLifetimeS',
      group: 'Lifetimes',
      label: 'Lifetime of data',
      hint: 'JSON responses for which your server gives none; 0 means not stored.',
      input: { kind: 'duration' },
    },
    {
      key: 'staleWhileRevalidateS',
      group: 'Lifetimes',
      label: 'Stale while refreshing',
      hint: 'How long after its lifetime a page may still be sent while a new one is fetched, so nobody waits.',
      input: { kind: 'duration' },
    },
    {
      key: 'staleIfErrorS',
      group: 'Lifetimes',
      label: 'Stale on error',
      hint: 'How long after its lifetime a page may be sent while your server fails.',
      input: { kind: 'duration' },
    },
    {
      key: 'kinds',
      group: 'Kinds of pages',
      label: 'Kinds of pages',
      hint: 'Pages with their own lifetime or rules, recognised by their paths.',
      input: { kind: 'kinds' },
    },
    {
      key: 'passPaths',
      group: 'What passes through',
      label: 'Addresses that pass through',
      hint: 'One per line. These always come from your server; pages below the path are included.',
      input: { kind: 'patterns', placeholder: '/basket' },
    },
    {
      key: 'passParameters',
      group: 'What passes through',
      label: 'Query parameters that pass through',
      hint: 'One per line. An address with one of these always comes from your server.',
      input: { kind: 'patterns', placeholder: 'preview' },
    },
    {
      key: 'visitorCookies',
      group: 'Cookies and request fields',
      label: 'Cookies of one visitor',
      hint: 'One per line. A visitor with one of these always gets pages from your server.',
      input: { kind: 'patterns', placeholder: '*session*' },
    },
    {
      key: 'harmlessCookies',
      group: 'Cookies and request fields',
      label: 'Harmless cookies',
      hint: 'One per line: cookies that never change a page. A visitor with any other cookie gets pages from your server.',
      input: { kind: 'patterns', placeholder: 'consent*' },
    },
    {
      key: 'harmlessFields',
      group: 'Cookies and request fields',
      label: 'Harmless request fields',
      hint: 'One per line: fields that something in front of Zest Lamp adds to requests. Programs that send any other unusual field get their response from your server.',
      input: { kind: 'patterns', placeholder: 'x-office-*' },
    },
    {
      key: 'authorCookies',
      group: 'Cookies and request fields',
      label: 'Cookies of comment authors',
      hint: 'A visitor who just commented gets pages from your server, so they see the comment awaiting approval.',
      input: { kind: 'patterns', placeholder: '*comment*author*' },
    },
    {
      key: 'signedIn',
      group: 'Signed-in visitors',
      label: 'Signed-in visitors',
      hint: 'Private copies are kept in memory for one visitor each; they end when that visitor sends anything to the site.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'pass', title: 'get pages from your server' },
          { value: 'private', title: 'get private copies' },
        ],
      },
    },
    {
      key: 'privateLifetimeS',
      group: 'Signed-in visitors',
      label: 'Lifetime of private copies',
      hint: 'Keep it short: nothing tells Zest Lamp what changes for one visitor.',
      input: { kind: 'duration' },
    },
    {
      key: 'fragments',
      group: 'Signed-in visitors',
      label: 'Live fragments',
      hint: 'fill in Edge Side Includes (ESI), so a page with a basket count can be stored.',
      input: { kind: 'switch' },
    },
    {
      key: 'fragmentRequests',
      group: 'Signed-in visitors',
      label: 'Requests for live fragments',
      hint: 'Maximum number of requests to your server for one page view; further fragments stay empty.',
      input: { kind: 'number', unit: 'requests', least: 1, most: 200 },
    },
    {
      key: 'ignoredParameters',
      group: 'What makes a different page',
      label: 'Ignored query parameters',
      hint: 'One per line: tracking parameters that do not change the page.',
      input: { kind: 'patterns', placeholder: 'utm_*' },
    },
    {
      key: 'sortParameters',
      group: 'What makes a different page',
      label: 'Parameters in any order',
      hint: 'the same parameters in another order give the same page.',
      input: { kind: 'switch' },
    },
    {
      key: 'deviceClasses',
      group: 'What makes a different page',
      label: 'Copies per device',
      hint: 'one for phones, one for other devices; only if your site sends them different pages.',
      input: { kind: 'switch' },
    },
    {
      key: 'obeyRequestDirectives',
      group: 'Details of the standard',
      label: 'Obey Cache-Control in requests',
      hint: 'a forced reload asks your server; otherwise reloading cannot add load to your server.',
      input: { kind: 'switch' },
    },
    {
      key: 'staleThoughExpired',
      group: 'Details of the standard',
      label: 'Stale despite max-age=0',
      hint: 'send an old copy even where your server says that pages expire at once.',
      input: { kind: 'switch' },
    },
    {
      key: 'staleBesideSharedLifetime',
      group: 'Details of the standard',
      label: 'Stale despite s-maxage',
      hint: 'follow your server’s stale-while-revalidate even where s-maxage forbids it by the standard.',
      input: { kind: 'switch' },
    },
  ],
}

export const compression: RemedyGuide<'compression'> = {
  does: 'Pages, styles, scripts and other text are compressed once, stored in each form, and sent in the smallest form the browser accepts.',
  helps: 'Everywhere, most on slow connections, when your server sends text uncompressed.',
  avoid: 'When something between Zest Lamp and your visitors already compresses.',
  couldBreak:
    'Nothing in the page: browsers decode to the same bytes. Pictures and video are left alone because they gain nothing.',
  lookAt: 'The sizes in the waterfall: sent and decoded.',
  undo: 'Switch it off: files are sent as your server made them.',
  options: [
    {
      key: 'brotli',
      label: 'Brotli',
      hint: 'smaller than gzip; supported by all current browsers.',
      input: { kind: 'switch' },
    },
    { key: 'gzip', label: 'gzip', hint: 'for everything else.', input: { kind: 'switch' } },
    {
      key: 'leastBytes',
      label: 'Only from',
      hint: 'Smaller files gain nothing.',
      input: { kind: 'bytes' },
    },
  ],
}

export const browserCache: RemedyGuide<'browserCache'> = {
  does: 'Files for which your server gives no lifetime get one by type. The browser checks pages on each visit with a short request, so changes show at once.',
  helps: 'On return visits and from page to page. A first visit with an empty browser cache gains nothing.',
  avoid:
    'For files that change at the same address and must be up to date at once: a browser’s copy cannot be removed from outside.',
  couldBreak:
    'After you change a style sheet or script at the same address, returning visitors may see the old one until its lifetime ends.',
  lookAt: 'A second visit: which files were requested again?',
  undo: 'Switch it off for new visitors. Copies already in browsers stay until their lifetime ends.',
  options: [
    { key: 'pageS', label: 'Pages', hint: '0 means checked on each visit.', input: { kind: 'duration' } },
    { key: 'styleS', label: 'Styles', hint: 'Style sheets.', input: { kind: 'duration' } },
    { key: 'scriptS', label: 'Scripts', hint: 'JavaScript files.', input: { kind: 'duration' } },
    { key: 'imageS', label: 'Pictures', hint: 'All picture types.', input: { kind: 'duration' } },
    { key: 'fontS', label: 'Fonts', hint: 'Font files hardly ever change.', input: { kind: 'duration' } },
    { key: 'mediaS', label: 'Sound and video', hint: 'Audio and video files.', input: { kind: 'duration' } },
    {
      key: 'fingerprinted',
      label: 'Fingerprinted files',
      hint: 'kept for a year and never checked again.',
      input: { kind: 'switch' },
    },
    {
      key: 'edgePageS',
      label: 'Pages at a CDN in front',
      hint: 'Sent to CDNs only (CDN-Cache-Control); 0 means not sent.',
      input: { kind: 'duration' },
    },
  ],
}
