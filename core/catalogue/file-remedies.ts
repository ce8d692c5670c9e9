import type { RemedyException } from '../contracts/rewriting.ts'
import type { Remedy, RemedyOption } from './remedy.ts'

/** The last setting of every remedy that rewrites. */
export const exceptionsOption = (...by: RemedyException['by'][]): RemedyOption & { key: 'exceptions' } => ({
  key: 'exceptions',
  label: 'Exceptions',
  hint: 'What this remedy leaves alone, with the reason.',
  input: { kind: 'exceptions', by },
})

const SWITCH = { kind: 'switch' } as const

export const minify: Remedy<'minify'> = {
  id: 'minify',
  name: 'Minify',
  reach: 'files',
  inShort: 'Take white space, comments and long local names out of text files.',
  does: 'Styles, scripts, drawings and data are written without what only people read. What they mean stays the same, letter for letter where it counts: licences, conditional comments, preformatted text and names that others use are kept.',
  helps:
    'On every link; most where files are large and not compressed. Compression alone already takes half of the gain.',
  avoid: 'When your own tools minify already: then there is nothing left to take.',
  couldBreak:
    'Very seldom anything. A script that reads its own source text, or a style written for a browser fault of long ago.',
  lookAt: 'The menu, the slider and forms; the list of changes below names every file.',
  undo: 'Switch it off. The files at their own addresses were never touched.',
  options: [
    {
      key: 'html',
      label: 'Pages',
      hint: 'white space and comments; every page is checked to mean the same afterwards.',
      input: SWITCH,
    },
    { key: 'styles', label: 'Styles', hint: 'style sheets.', input: SWITCH },
    { key: 'scripts', label: 'Scripts', hint: 'script files; global names stay.', input: SWITCH },
    { key: 'inline', label: 'Inline code', hint: 'styles and scripts inside pages too.', input: SWITCH },
    { key: 'svg', label: 'Drawings', hint: 'SVG files.', input: SWITCH },
    {
      key: 'json',
      label: 'Data',
      hint: 'JSON answers and data inside pages; numbers are never rounded.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address'),
  ],
}

export const fingerprint: Remedy<'fingerprint'> = {
  id: 'fingerprint',
  name: 'Names that follow content',
  reach: 'files',
  inShort: 'Give each file a name that changes when its content does, so that browsers keep it for a year.',
  does: 'Pages and styles name files by an address with a digest of the content in its path, with a year’s lifetime and “immutable”. Version numbers behind a question mark are no longer needed.',
  helps:
    'On return visits and from page to page: nothing that is unchanged is asked about again. A first visit gains little.',
  avoid: 'When a CDN in front of Zest Lamp rewrites addresses too.',
  couldBreak: 'A script that builds the address of another file from its own address.',
  lookAt: 'A second visit: nothing but the page should be asked for.',
  undo: 'Switch it off: pages name the files as before, and those are still there.',
  options: [
    { key: 'styles', label: 'Styles', hint: 'style sheets.', input: SWITCH },
    {
      key: 'scripts',
      label: 'Scripts',
      hint: 'script files, but no modules: one address, one instance.',
      input: SWITCH,
    },
    { key: 'fonts', label: 'Fonts', hint: 'font files that style sheets name.', input: SWITCH },
    { key: 'images', label: 'Pictures', hint: 'all image types.', input: SWITCH },
    exceptionsOption('file', 'address'),
  ],
}

export const images: Remedy<'images'> = {
  id: 'images',
  name: 'Lighter pictures',
  reach: 'files',
  inShort: 'Send each picture in the form and size that the browser can use.',
  does: 'Pictures are converted behind the visitors’ backs, one after the other, and offered as AVIF or WebP to browsers that take them, in several widths, none larger than the widest screen needs. Width and height are written into the page, so that nothing moves when a picture comes. The originals stay where they are.',
  helps: 'Where pictures are most of the weight, which is most pages; on phones more than anywhere.',
  avoid: 'For pictures whose every pixel counts: name them as exceptions, or set the quality to 100.',
  couldBreak:
    'Fine grain in photos may soften. A picture that a style stretches on purpose may keep its proportions instead.',
  lookAt: 'Photos at full size, sharp edges in drawings, and the layout around pictures.',
  undo: 'Switch it off: pages name the originals again.',
  options: [
    {
      key: 'avif',
      label: 'AVIF',
      hint: 'the smallest; taken by browsers since about 2021 to 2023.',
      input: SWITCH,
    },
    { key: 'webp', label: 'WebP', hint: 'for browsers that do not take AVIF.', input: SWITCH },
    {
      key: 'quality',
      label: 'Quality of photos',
      hint: 'On the scale of JPEG; above 90 the difference is hardly visible.',
      input: { kind: 'number', unit: 'of 100', least: 30, most: 100 },
    },
    {
      key: 'lossless',
      label: 'Drawings in PNG and GIF',
      hint: 'Screenshots and logos show losses first.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'drawings', title: 'keep every pixel' },
          { value: 'never', title: 'may lose some too' },
        ],
      },
    },
    {
      key: 'widest',
      label: 'Widest',
      hint: 'No picture is sent wider than this.',
      input: { kind: 'number', unit: 'CSS px', least: 200, most: 8000 },
    },
    {
      key: 'density',
      label: 'For dense screens',
      hint: '1.5 times 1920 is 2880.',
      input: { kind: 'number', unit: 'times', least: 1, most: 3, step: 0.1 },
    },
    {
      key: 'phoneDensity',
      label: 'For phones',
      hint: 'Pixels for one of the page; of more than 2 little is seen. Needs several widths.',
      input: { kind: 'number', unit: 'times', least: 1, most: 4, step: 0.1 },
    },
    { key: 'sizes', label: 'Several widths', hint: 'so that a phone loads a small one.', input: SWITCH },
    {
      key: 'dimensions',
      label: 'Width and height',
      hint: 'write them in where they are missing; without them no picture is resized.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address'),
  ],
}

export const fonts: Remedy<'fonts'> = {
  id: 'fonts',
  name: 'Smaller fonts',
  reach: 'files',
  inShort: 'Cut fonts to the characters and icons in use, and pack them as WOFF2.',
  does: 'Text fonts keep Latin with its accents, punctuation and whatever other scripts your pages are written in; icon fonts keep the icons that style sheets and pages name. Both are packed in the form that all current browsers take.',
  helps: 'Where text waits for fonts, and where an icon font brings hundreds of icons for a handful.',
  avoid: 'When visitors write in scripts that the pages themselves do not use.',
  couldBreak:
    'A character that no page has shown yet appears in another font, until a page with it has been rewritten.',
  lookAt: 'Headings, accents, prices, and every icon.',
  undo: 'Switch it off: the full fonts are named again.',
  options: [
    { key: 'text', label: 'Text fonts', hint: 'cut to the scripts in use.', input: SWITCH },
    {
      key: 'icons',
      label: 'Icon fonts',
      hint: 'cut to the icons that styles and pages name.',
      input: SWITCH,
    },
    {
      key: 'keep',
      label: 'Characters to keep',
      hint: 'Besides those found; what scripts put in.',
      input: { kind: 'text', placeholder: '₿ ☎ →' },
    },
    exceptionsOption('file', 'address'),
  ],
}

export const localCopies: Remedy<'localCopies'> = {
  id: 'localCopies',
  name: 'Local copies of others’ scripts',
  reach: 'files',
  inShort: 'Keep scripts of other hosts here, so that no second connection is needed.',
  does: 'A script of a host that you name is fetched every so often and sent from your own address, compressed and with a long lifetime. Nothing of your visitors goes to that host when it is fetched.',
  helps: 'When a slow or distant host holds up the first paint.',
  avoid:
    'For scripts that are made anew for each visitor, that check where they come from, or whose terms forbid copies.',
  couldBreak: 'A script that works out its own address, or that must be the newest within minutes.',
  lookAt: 'Whatever the script does: counting, chat, consent.',
  undo: 'Switch it off: pages name the other host again.',
  options: [
    {
      key: 'hosts',
      label: 'Hosts',
      hint: 'With the port if it is written in the page. No other host is ever asked.',
      input: { kind: 'patterns', placeholder: 'tags.example' },
    },
    {
      key: 'refreshS',
      label: 'Fetch again after',
      hint: 'An old copy stands in while the host fails.',
      input: { kind: 'duration' },
    },
    exceptionsOption('file', 'address'),
  ],
}
