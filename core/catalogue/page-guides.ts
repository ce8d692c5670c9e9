import { exceptionsOption } from './file-guides.ts'
import type { RemedyGuide } from './remedy.ts'

const SWITCH = { kind: 'switch' } as const

export const lazy: RemedyGuide<'lazy'> = {
  does: 'Pictures and frames that are not visible before scrolling get loading="lazy", so the browser fetches them when they are needed. Measurements show which ones these are; until a page has been measured, its first few pictures load as before.',
  helps: 'On long pages with many pictures: what is visible before scrolling does not have to share the connection.',
  avoid: 'When the page has its own lazy loader; pictures that use it are left alone anyway.',
  couldBreak: 'A slider or gallery that waits for all its pictures. Printing a page before scrolling through it.',
  lookAt: 'Scroll down slowly and quickly; check sliders and galleries, and print the page.',
  undo: 'Switch it off.',
  options: [
    { key: 'images', label: 'Pictures', hint: 'never those visible before scrolling.', input: SWITCH },
    { key: 'frames', label: 'Frames', hint: 'maps, videos and other embedded pages.', input: SWITCH },
    {
      key: 'backgrounds',
      label: 'Backgrounds',
      hint: 'set in the style attributes of elements; adds a short script.',
      input: SWITCH,
    },
    {
      key: 'firstImages',
      label: 'Never lazy at the top',
      hint: 'This many pictures load at once on pages that have not been measured.',
      input: { kind: 'number', unit: 'pictures', least: 0, most: 50 },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const scriptOrder: RemedyGuide<'scriptOrder'> = {
  does: 'Scripts that block the page are deferred and moved to its end, unless you choose otherwise. Their order never changes: inline code between them waits with them, and if one script must stay where it is, all scripts before it stay too, because it may need them. You can also let scripts run as soon as they load, or only after the visitor first touches the page.',
  helps: 'When scripts are loaded in the head and draw little of what is visible before scrolling.',
  avoid: 'When scripts draw the top of the page: it would appear later.',
  couldBreak:
    'What scripts add to the page appears a moment after the page itself. Code in attributes such as onclick does nothing until the scripts have loaded.',
  lookAt: 'Sliders, menus, forms and the basket; the browser’s console for errors.',
  undo: 'Switch it off, or name one script as an exception.',
  options: [
    {
      key: 'manner',
      label: 'How scripts are deferred',
      hint: 'All choices keep the order. At the end of the page, scripts leave the connection and the processor to what is visible first; where they stand now, they run a little sooner.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'late', title: 'defer, at the end of the page' },
          { value: 'defer', title: 'defer where they stand' },
          { value: 'end', title: 'move to the end of the page' },
        ],
      },
    },
    {
      key: 'async',
      label: 'Run as soon as they load (async)',
      hint: 'Scripts that do not depend on others, and that others do not depend on.',
      input: { kind: 'patterns', placeholder: 'counter.js' },
    },
    {
      key: 'firstTouch',
      label: 'Load after the first interaction',
      hint: 'Chat, tags and the like; never scripts that draw the top of the page.',
      input: { kind: 'patterns', placeholder: '*/chat/*' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const hints: RemedyGuide<'hints'> = {
  does: 'The browser fetches the main picture before all others, and fonts used before scrolling early. For phones, a small main picture is sent inside the page itself. Connections to other hosts are opened ahead of time. While your server (origin) still builds a page, the browser learns what the page will need (103 Early Hints). Text shows in a fallback font until its own font has loaded.',
  helps: 'When the browser discovers the main picture or the fonts late, after styles and scripts.',
  avoid: 'For more than a few files: what loads early delays the rest.',
  couldBreak: 'Text may change its look once when its font loads.',
  lookAt: 'Headings while the page loads: nothing should jump.',
  undo: 'Switch it off.',
  options: [
    {
      key: 'fontDisplay',
      label: 'While a font loads',
      hint: 'Added as font-display to every @font-face rule that does not set it.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'swap', title: 'show text in a fallback font (swap)' },
          { value: 'fallback', title: 'hide text for a moment, then show a fallback font (fallback)' },
          { value: 'optional', title: 'use the font only if it is there at once (optional)' },
          { value: 'as-it-is', title: 'leave as the style sheets say' },
        ],
      },
    },
    {
      key: 'preloadMain',
      label: 'Preload the main picture',
      hint: 'as measured for this page or its kind of page.',
      input: SWITCH,
    },
    {
      key: 'mainInPageKb',
      label: 'Inline the main picture up to',
      hint: 'For phones, as AVIF: a picture up to this size is sent inside the page and needs no request of its own. 0: never.',
      input: { kind: 'number', unit: 'kB', least: 0, most: 50 },
    },
    {
      key: 'preloadFonts',
      label: 'Preload fonts',
      hint: 'at most two that are used before scrolling, the largest text first.',
      input: SWITCH,
    },
    {
      key: 'preconnect',
      label: 'Connect early to other hosts',
      hint: 'preconnect, or at least look up their names (dns-prefetch).',
      input: SWITCH,
    },
    {
      key: 'early',
      label: 'Send 103 Early Hints',
      hint: 'While a visitor waits for your server (origin), the browser already fetches what the page named the last time it was sent: style sheets, blocking scripts and preloads. Over HTTPS with HTTP/2.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address'),
  ],
}

export const unusedStyles: RemedyGuide<'unusedStyles'> = {
  does: 'Each style sheet keeps the rules that match something on the page, or on pages of its kind seen so far. Rules with a class, id or attribute that any script of the page mentions are kept too, because a script may switch them on.',
  helps: 'When large style sheets delay the first paint and little of them is used.',
  avoid: 'While a site is being built, and where third-party scripts add elements of their own.',
  couldBreak:
    'Something that appears only after a click can lose its styling when a script builds its class name in an unusual way.',
  lookAt: 'Menus, dialogs, error messages: everything that opens and closes.',
  undo: 'Switch it off, or keep what is missing by naming part of its selector.',
  options: [
    {
      key: 'keep',
      label: 'Always keep',
      hint: 'Rules whose selector contains one of these, one per line.',
      input: { kind: 'patterns', placeholder: '.dialog' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const criticalStyles: RemedyGuide<'criticalStyles'> = {
  does: 'A browser measures on each device which CSS rules are needed before scrolling. These are written into the page itself; the style sheets move to its end, in the same order, where they no longer delay the first paint.',
  helps: 'When the first paint waits for style sheets, most of all on connections with long round trips.',
  avoid: 'When the page’s HTML is large already: the rules are sent with every page and the browser cannot cache them.',
  couldBreak: 'A page that has changed since it was measured may show without styles for a moment.',
  lookAt: 'The first second of the page, on phone and laptop: see the filmstrip.',
  undo: 'Switch it off.',
  options: [
    {
      key: 'perDevice',
      label: 'Separate for phones',
      hint: 'pages for phones and for other devices are stored separately.',
      input: SWITCH,
    },
    {
      key: 'mostBytes',
      label: 'At most',
      hint: 'If a page needs more CSS before scrolling, its style sheets stay as they are.',
      input: { kind: 'bytes' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const stillVideo: RemedyGuide<'stillVideo'> = {
  does: 'An embedded video shows a preview picture with its title and a play button. A click, a tap or the Enter key loads the player in the same place. No script is needed.',
  helps: 'On pages with an embedded video that few visitors play.',
  avoid: 'Where visitors come for the video, or where scripts control the player.',
  couldBreak: 'Playing takes one more click. A script that talks to the player finds only a picture.',
  lookAt: 'The video: does it look right, does it play?',
  undo: 'Switch it off.',
  options: [
    {
      key: 'frames',
      label: 'Video frames',
      hint: 'By address, one per line; “*” stands for anything.',
      input: { kind: 'patterns', placeholder: '*/embed/*' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const combine: RemedyGuide<'combine'> = {
  does: 'Files that follow each other become one, in the same order. Files of other hosts, style sheets with another media attribute, strict-mode scripts and files with an integrity digest stay separate.',
  helps: 'Only for visitors who come over HTTP/1.1, where a browser loads six files of a host at a time.',
  avoid:
    'Over HTTP/2: many files cost no more than one there, and a change in one of them makes the whole file load again. Nothing is combined for such visitors unless you choose to.',
  couldBreak: 'A script with an error used to fail alone. Now other scripts may be in the same file.',
  lookAt: 'The browser’s console for errors; sliders, menus, forms.',
  undo: 'Switch it off, or name one file as an exception.',
  options: [
    { key: 'styles', label: 'Styles', hint: 'style sheets for the same media.', input: SWITCH },
    {
      key: 'scripts',
      label: 'Scripts',
      hint: 'scripts that run in the same way (all deferred, or all not).',
      input: SWITCH,
    },
    {
      key: 'evenMultiplexed',
      label: 'Over HTTP/2 too',
      hint: 'of little use there, sometimes slower.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const prefetch: RemedyGuide<'prefetch'> = {
  does: 'Pages tell the browser which of their links may be fetched ahead (Speculation Rules; a small script does it in browsers that lack them). Only links of your own site that show something: never sign-out, basket, downloads, nofollow links, addresses that pass through or hold a key. A request to prefetch is answered from the store only; where a fresh copy is missing, it is refused without asking your server (origin). Which pages come next is learnt from the visits to your site, and you can correct it. Nothing is fetched ahead where the visitor saves data or has a slow link.',
  helps: 'When visitors read more than one page, and the pages are in the store: the next one shows almost at once.',
  avoid: 'Where visitors pay for every megabyte and seldom open a second page.',
  couldBreak:
    'Visitors fetch pages that they do not open. Counters that read the web server’s log may count these as visits. With “Render ahead”, scripts of other hosts run a little later on every page.',
  lookAt: 'Click through the site: pages should appear sooner, and be the current ones.',
  undo: 'Switch it off.',
  options: [
    {
      key: 'learn',
      label: 'Learn from visits',
      hint: 'fetch the usual next pages as soon as a page is shown.',
      input: SWITCH,
    },
    {
      key: 'likelyPercent',
      label: 'Counts as usual from',
      hint: 'A page is usual when at least this share of visits goes on to it.',
      input: { kind: 'number', unit: '% of visits', least: 1, most: 100 },
    },
    {
      key: 'prerender',
      label: 'Render ahead (prerender)',
      hint: 'show the likeliest next pages at once. Scripts of other hosts, which may count visits, wait until the page is shown. Pages whose own scripts ask your server for anything are only fetched.',
      input: SWITCH,
    },
    {
      key: 'mostWastedPercent',
      label: 'Fetched but not opened, at most',
      hint: 'Share of the bytes fetched ahead whose page nobody opened. Above it, pages are only fetched when pointed at, then only when pressed.',
      input: { kind: 'number', unit: '% of bytes', least: 1, most: 100 },
    },
    {
      key: 'when',
      label: 'Fetch all other pages when the visitor',
      hint: '',
      input: {
        kind: 'choice',
        choices: [
          { value: 'press', title: 'presses its link' },
          { value: 'hover', title: 'points at its link, or touches it' },
          { value: 'view', title: 'sees its link' },
        ],
      },
    },
    {
      key: 'mostLinks',
      label: 'Links per page',
      hint: 'At most this many links of a page, from the top.',
      input: { kind: 'number', unit: 'links', least: 1, most: 200 },
    },
    {
      key: 'rules',
      label: 'Which page follows which',
      hint: 'From the visits to live; nothing is kept about who the visitor was. Pages that are not stored are never fetched, whatever you choose.',
      input: { kind: 'next-pages' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const filesCdn: RemedyGuide<'filesCdn'> = {
  does: 'In the pages of signed-out visitors, the addresses of styles, scripts, fonts and pictures get the host name of your CDN; their paths stay. The CDN fetches each file from live once and keeps it near your visitors. Pages of signed-in visitors and of your staff keep the addresses of your site. Files of your site may then be used by pages of other hosts (CORS), which browsers require of fonts.',
  helps: 'When many visitors are far from your server and files make up most of the page.',
  avoid: 'Where visitors are near: a second host costs a connection of its own, which can take longer than it saves.',
  couldBreak:
    'A script that looks at its own address or loads others relative to the page. A file that the CDN keeps although it has changed.',
  lookAt: 'Fonts, icons and pictures on several pages; the browser’s console for blocked files.',
  undo: 'Switch it off: the next page a visitor loads names your own host again.',
  options: [
    {
      key: 'address',
      label: 'Address of the CDN',
      hint: 'scheme and host name, such as https://files.example. It must fetch from live.',
      input: { kind: 'text', placeholder: 'https://files.example' },
    },
    { key: 'styles', label: 'Styles', hint: '', input: SWITCH },
    { key: 'scripts', label: 'Scripts', hint: 'except modules.', input: SWITCH },
    { key: 'fonts', label: 'Fonts', hint: '', input: SWITCH },
    { key: 'pictures', label: 'Pictures', hint: '', input: SWITCH },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const unusedScripts: RemedyGuide<'unusedScripts'> = {
  does: 'When a page is measured, Zest Lamp notes which scripts were loaded for nothing: no part of them ran, they listen to nothing and changed nothing, and no other code mentions what they offer. On that page and pages of its kind they are left out. Anything that cannot be seen counts as used.',
  helps: 'On sites that have grown for years and load the same scripts everywhere.',
  avoid:
    'For scripts that start only under conditions that no measurement meets, such as a campaign or a certain date.',
  couldBreak:
    'Something that works only after a rare action, if the script that does it is found by a name put together while it runs.',
  lookAt: 'The browser’s console for errors; menus, galleries and forms.',
  undo: 'Switch it off, or name one file as an exception.',
  options: [
    {
      key: 'more',
      label: 'Also leave out',
      hint: 'Scripts and styles that you know to be unused.',
      input: { kind: 'patterns', placeholder: 'old-gallery.js' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const polling: RemedyGuide<'polling'> = {
  does: 'A page left open in a browser tab may ask your server (origin) the same thing every few seconds. It gets the last response for this visitor and this request until the time below has passed. No visitor ever gets another visitor’s response.',
  helps: 'When open editor tabs keep a small server busy: it has more time for visitors.',
  avoid: 'For requests that must be up to date: a chat, or the lock on a document.',
  couldBreak: 'News reaches an open page later, by up to that time.',
  lookAt: 'Two editors with the same page open: how soon does one see the other?',
  undo: 'Switch it off.',
  options: [
    {
      key: 'paths',
      label: 'Polled addresses',
      hint: 'One per line; pages below the path are included.',
      input: { kind: 'patterns', placeholder: '/editor/poll' },
    },
    {
      key: 'everyS',
      label: 'Ask your server at most every',
      hint: 'Between two requests, open pages get the last response.',
      input: { kind: 'duration' },
    },
    exceptionsOption('address'),
  ],
}
