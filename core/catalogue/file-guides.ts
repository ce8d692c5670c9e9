import type { RemedyException } from '../contracts/rewriting.ts'
import type { RemedyGuide, RemedyOption } from './remedy.ts'

/** The last setting of every remedy that rewrites. */
export const exceptionsOption = (...by: RemedyException['by'][]): RemedyOption & { key: 'exceptions' } => ({
  key: 'exceptions',
  label: 'Exceptions',
  hint: 'What this remedy leaves alone, and why.',
  input: { kind: 'exceptions', by },
})

const SWITCH = { kind: 'switch' } as const

export const minify: RemedyGuide<'minify'> = {
  does: 'Text files lose comments and spacing that only people need. Their meaning stays the same: licence notices, conditional comments, preformatted text and names that other files use are kept.',
  helps: 'Everywhere; most where files are large and not compressed. Compression alone already gives half of the gain.',
  avoid: 'When your own tools minify already: there is nothing left to remove.',
  couldBreak:
    'Very rarely anything: a script that reads its own source text, or CSS written for a bug of an old browser.',
  lookAt: 'Menus, sliders and forms; the list of changes below names every file.',
  undo: 'Switch it off. The original files were never changed.',
  options: [
    {
      key: 'html',
      label: 'Pages',
      hint: 'white space and comments; each page is checked to mean the same afterwards.',
      input: SWITCH,
    },
    { key: 'styles', label: 'Styles', hint: 'style sheets.', input: SWITCH },
    { key: 'scripts', label: 'Scripts', hint: 'script files; global names stay.', input: SWITCH },
    { key: 'inline', label: 'Inline code', hint: 'styles and scripts inside pages too.', input: SWITCH },
    { key: 'svg', label: 'SVG', hint: 'drawings in SVG files.', input: SWITCH },
    {
      key: 'json',
      label: 'JSON',
      hint: 'JSON responses and data inside pages; numbers are never rounded.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address'),
  ],
}

export const fingerprint: RemedyGuide<'fingerprint'> = {
  does: 'Pages and style sheets refer to files by an address that contains a digest of their content. These files are sent with a lifetime of one year and “immutable”. Version numbers after a question mark are no longer needed.',
  helps:
    'On return visits and from page to page: the browser does not ask again about unchanged files. A first visit gains little.',
  avoid: 'When a CDN in front of Zest Lamp also rewrites addresses.',
  couldBreak: 'A script that derives the address of another file from its own.',
  lookAt: 'A second visit: the browser should request only the page.',
  undo: 'Switch it off: pages refer to the files by their old names, which still work.',
  options: [
    { key: 'styles', label: 'Styles', hint: 'style sheets.', input: SWITCH },
    {
      key: 'scripts',
      label: 'Scripts',
      hint: 'script files, except modules, which must keep one address.',
      input: SWITCH,
    },
    { key: 'fonts', label: 'Fonts', hint: 'font files used by style sheets.', input: SWITCH },
    { key: 'images', label: 'Pictures', hint: 'all picture types.', input: SWITCH },
    exceptionsOption('file', 'address'),
  ],
}

export const images: RemedyGuide<'images'> = {
  does: 'Pictures are converted in the background and offered as AVIF or WebP, in several widths, to browsers that support them. No picture is larger than the widest screen needs. Width and height are written into the page, so nothing moves when a picture loads. The originals are not changed.',
  helps: 'Where pictures are most of a page’s weight, as on most pages; most of all on phones.',
  avoid: 'For pictures where every pixel counts: name them as exceptions, or set the quality to 100.',
  couldBreak:
    'Fine detail in photos may soften. A picture that CSS stretches on purpose may keep its proportions instead.',
  lookAt: 'Photos at full size, sharp edges in drawings, and the layout around pictures.',
  undo: 'Switch it off: pages name the originals again.',
  options: [
    {
      key: 'prepared',
      label: 'Pictures made in Upkeep',
      hint: 'sent for the originals, whoever names them: pages, CSS and scripts.',
      input: SWITCH,
    },
    {
      key: 'avif',
      label: 'AVIF',
      hint: 'the smallest; supported by browsers since about 2021 to 2023.',
      input: SWITCH,
    },
    { key: 'webp', label: 'WebP', hint: 'for browsers without AVIF.', input: SWITCH },
    {
      key: 'quality',
      label: 'Quality of photos',
      hint: 'On the JPEG scale; above 90 the difference is hardly visible.',
      input: { kind: 'number', unit: 'of 100', least: 30, most: 100 },
    },
    {
      key: 'lossless',
      label: 'Drawings in PNG and GIF',
      hint: 'Losses show first in screenshots and logos.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'drawings', title: 'keep every pixel' },
          { value: 'never', title: 'may lose some detail' },
        ],
      },
    },
    {
      key: 'widest',
      label: 'Largest width',
      hint: 'No picture is sent wider than this.',
      input: { kind: 'number', unit: 'CSS px', least: 200, most: 8000 },
    },
    {
      key: 'density',
      label: 'On dense screens',
      hint: 'Picture pixels per CSS pixel: 1.5 × 1920 is 2880.',
      input: { kind: 'number', unit: 'times', least: 1, most: 3, step: 0.1 },
    },
    {
      key: 'phoneDensity',
      label: 'On phones',
      hint: 'Picture pixels per CSS pixel; above 2 is hardly visible. Needs several widths.',
      input: { kind: 'number', unit: 'times', least: 1, most: 4, step: 0.1 },
    },
    { key: 'sizes', label: 'Several widths', hint: 'so phones load small ones.', input: SWITCH },
    {
      key: 'dimensions',
      label: 'Width and height',
      hint: 'added where they are missing; without them no picture is resized.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address'),
  ],
}

export const fonts: RemedyGuide<'fonts'> = {
  does: 'Text fonts keep Latin letters with accents, punctuation, and the writing systems your pages use. Icon fonts keep the icons that style sheets and pages use. Both are sent as WOFF2, which all current browsers support.',
  helps: 'Where text waits for fonts, and where an icon font holds hundreds of icons but pages use a handful.',
  avoid: 'When visitors write in alphabets that the pages themselves do not use.',
  couldBreak: 'A character that no page has used yet appears in another font until a page with it has been rewritten.',
  lookAt: 'Headings, accents, prices, and every icon.',
  undo: 'Switch it off: pages use the full fonts again.',
  options: [
    { key: 'text', label: 'Text fonts', hint: 'reduced to the writing systems in use.', input: SWITCH },
    {
      key: 'icons',
      label: 'Icon fonts',
      hint: 'reduced to the icons that style sheets and pages use.',
      input: SWITCH,
    },
    {
      key: 'keep',
      label: 'Characters to keep',
      hint: 'In addition to those found, for example what scripts insert.',
      input: { kind: 'text', placeholder: '₿ ☎ →' },
    },
    exceptionsOption('file', 'address'),
  ],
}

export const localCopies: RemedyGuide<'localCopies'> = {
  does: 'A script of a host you name is fetched regularly and sent from your own address, compressed and with a long lifetime. Nothing about your visitors is sent to that host when it is fetched.',
  helps: 'When a slow or distant host delays the first paint.',
  avoid:
    'For scripts that are generated for each visitor, that check where they are loaded from, or whose terms forbid copies.',
  couldBreak: 'A script that uses its own address, or that must be up to date within minutes.',
  lookAt: 'Whatever the script does: analytics, chat, consent.',
  undo: 'Switch it off: pages load the script from the other host again.',
  options: [
    {
      key: 'hosts',
      label: 'Hosts',
      hint: 'One per line, with the port if the page has one. No other host is ever contacted.',
      input: { kind: 'patterns', placeholder: 'tags.example' },
    },
    {
      key: 'refreshS',
      label: 'Fetch again after',
      hint: 'If the host fails, the old copy is used.',
      input: { kind: 'duration' },
    },
    exceptionsOption('file', 'address'),
  ],
}
