import { exceptionsOption } from './file-remedies.ts'
import type { Remedy } from './remedy.ts'

const SWITCH = { kind: 'switch' } as const

export const lazy: Remedy<'lazy'> = {
  id: 'lazy',
  name: 'Lazy loading',
  reach: 'page',
  inShort: 'Load pictures, frames and backgrounds below the first view when the visitor comes near them.',
  does: 'The browser is told to leave pictures and frames that are not in the first view until they are needed. Which ones these are is taken from measurements; until there are some, the first few pictures are left alone.',
  helps: 'On long pages with many pictures: the first view has the link to itself.',
  avoid: 'When the page brings a lazy loader of its own; such pictures are left alone anyway.',
  couldBreak: 'A slider or gallery that waits for all its pictures. Printing a page that was not scrolled through.',
  lookAt: 'Scroll down slowly and fast; slider, gallery, and the page printed.',
  undo: 'Switch it off.',
  options: [
    { key: 'images', label: 'Pictures', hint: 'never those of the first view.', input: SWITCH },
    { key: 'frames', label: 'Frames', hint: 'maps, videos and other pages inside the page.', input: SWITCH },
    {
      key: 'backgrounds',
      label: 'Backgrounds',
      hint: 'that are written in the page’s elements; brings a short script.',
      input: SWITCH,
    },
    {
      key: 'firstImages',
      label: 'Left alone at the top',
      hint: 'Pictures that are never lazy where the first view has not been measured.',
      input: { kind: 'number', unit: 'pictures', least: 0, most: 50 },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const scriptOrder: Remedy<'scriptOrder'> = {
  id: 'scriptOrder',
  name: 'Scripts that wait',
  reach: 'page',
  inShort: 'Let scripts wait until the page is read, instead of the page for the scripts.',
  does: 'Scripts that hold up the page are deferred, and named at its end unless you choose otherwise. Their order never changes: those that waited already still run after them, inline code between them waits with them, and a script that must stay keeps all before it in place, since it may need them. Scripts you name can run whenever they come, or wait for the first touch.',
  helps: 'When scripts stand in the head and little of the first view is drawn by them.',
  avoid: 'When scripts draw the first view: it would come later.',
  couldBreak:
    'Things that scripts do to the page show a moment after the page itself. Code in attributes such as onclick does nothing until the scripts have come.',
  lookAt: 'Slider, menu, forms and basket; the console for errors.',
  undo: 'Switch it off, or name one script as an exception.',
  options: [
    {
      key: 'manner',
      label: 'What waits',
      hint: 'All keep the order. Named at the end, scripts leave the link and the processor to the first view; where they stand, they are there a little sooner.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'late', title: 'is deferred, and named at the end of the page' },
          { value: 'defer', title: 'is deferred where it stands' },
          { value: 'end', title: 'moves to the end of the page' },
        ],
      },
    },
    {
      key: 'async',
      label: 'Run whenever they come',
      hint: 'Scripts that need nothing and that nothing needs.',
      input: { kind: 'patterns', placeholder: 'counter.js' },
    },
    {
      key: 'firstTouch',
      label: 'Wait for the first touch',
      hint: 'Chat, tags and the like: never what draws the first view.',
      input: { kind: 'patterns', placeholder: '*/chat/*' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const hints: Remedy<'hints'> = {
  id: 'hints',
  name: 'Early hints in the page',
  reach: 'page',
  inShort: 'Tell the browser early what it would find late: the main picture, fonts, other hosts.',
  does: 'The main picture of the first view is asked for before all others, and a small one comes in the page itself for phones; the fonts of its headings early; connections to other hosts are opened ahead; and text is shown in another font until its own has come.',
  helps: 'When the main picture or the fonts are found late, behind styles and scripts.',
  avoid: 'For more than a few files: what is asked for early takes the link from the rest.',
  couldBreak: 'Text may be set anew once when its font comes.',
  lookAt: 'Headings while the page loads; nothing should jump.',
  undo: 'Switch it off.',
  options: [
    {
      key: 'fontDisplay',
      label: 'Until a font has come',
      hint: 'Said in every style sheet that brings a font and does not say it itself.',
      input: {
        kind: 'choice',
        choices: [
          { value: 'swap', title: 'text shows in another font' },
          { value: 'fallback', title: 'text hides a moment, then shows in another font' },
          { value: 'optional', title: 'the font is used only if it is there at once' },
          { value: 'as-it-is', title: 'as the styles say' },
        ],
      },
    },
    {
      key: 'preloadMain',
      label: 'Main picture first',
      hint: 'as it was measured for this page or its kind.',
      input: SWITCH,
    },
    {
      key: 'mainInPageKb',
      label: 'Main picture in the page',
      hint: 'For phones, as AVIF, when it is no larger; it then comes without a round trip. 0: never.',
      input: { kind: 'number', unit: 'kB', least: 0, most: 50 },
    },
    {
      key: 'preloadFonts',
      label: 'Fonts of the first view early',
      hint: 'two at most, the largest text first.',
      input: SWITCH,
    },
    {
      key: 'preconnect',
      label: 'Connections to other hosts',
      hint: 'opened early, or at least their names looked up.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address'),
  ],
}

export const unusedStyles: Remedy<'unusedStyles'> = {
  id: 'unusedStyles',
  name: 'Styles without the unused',
  reach: 'page',
  inShort: 'Leave out style rules that a page, and others of its kind, have no element for.',
  does: 'Each style sheet is cut to the rules that fit something on the page or on pages of its kind seen so far. Rules with a class, id or attribute that any script of the page names are kept: scripts may switch them on.',
  helps: 'When large style sheets hold up the first paint and little of them is used.',
  avoid: 'While a site is being built, and where scripts of other hosts bring elements of their own.',
  couldBreak:
    'Something that appears only after a click looks bare, when its name is put together by a script in an unusual way.',
  lookAt: 'Menus, dialogs, error messages, what opens and closes.',
  undo: 'Switch it off, or keep what went missing by a part of its selector.',
  options: [
    {
      key: 'keep',
      label: 'Always keep',
      hint: 'Rules whose selector contains one of these.',
      input: { kind: 'patterns', placeholder: '.dialog' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const criticalStyles: Remedy<'criticalStyles'> = {
  id: 'criticalStyles',
  name: 'Critical CSS',
  reach: 'page',
  inShort: 'Put the rules of the first view into the page, and let the style sheets come after.',
  does: 'The rules that the first view needs, as measured in a browser on each device, stand in the page itself; the style sheets move to its end, in their order, where nothing waits for them.',
  helps: 'When style sheets are what the first paint waits for, most on links with long round trips.',
  avoid: 'When the page’s HTML is large already: the rules travel with every page and are not kept by the browser.',
  couldBreak: 'A page that has changed since it was measured may look bare for a moment before its styles come.',
  lookAt: 'The first second of the page, on phone and laptop; the filmstrip shows it.',
  undo: 'Switch it off.',
  options: [
    {
      key: 'perDevice',
      label: 'Per device',
      hint: 'pages are kept apart for phones and for the rest.',
      input: SWITCH,
    },
    {
      key: 'mostBytes',
      label: 'No more than',
      hint: 'If the first view needs more, the style sheets stay as they are.',
      input: { kind: 'bytes' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const stillVideo: Remedy<'stillVideo'> = {
  id: 'stillVideo',
  name: 'Still picture for videos',
  reach: 'page',
  inShort: 'Show a still picture in place of a video player until it is touched.',
  does: 'A frame that holds a video shows a drawn picture with its title and a play mark. Touching it, or Enter on the keyboard, loads the player in the same place. It works without a script.',
  helps: 'On every page with an embedded video that few visitors play.',
  avoid: 'Where the video is what visitors come for, or where scripts steer the player.',
  couldBreak: 'Playing takes one touch more. A script that talks to the player finds a picture.',
  lookAt: 'The video: does it look right, does it play?',
  undo: 'Switch it off.',
  options: [
    {
      key: 'frames',
      label: 'Frames that hold a video',
      hint: 'By address; “*” stands for anything.',
      input: { kind: 'patterns', placeholder: '*/embed/*' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const combine: Remedy<'combine'> = {
  id: 'combine',
  name: 'Combine files',
  reach: 'page',
  inShort: 'Put style sheets, and scripts, that follow each other into one file.',
  does: 'Neighbouring files become one, in their order. Files of other hosts, those with media of their own, and those that are strict or allowed by a digest stay by themselves.',
  helps: 'Only where visitors come by plain HTTP/1.1, which loads six files of a host at a time.',
  avoid:
    'Over HTTP/2: there many files cost no more than one, and one change makes all of it load again. Zest Lamp leaves such visitors alone unless you say otherwise.',
  couldBreak: 'A script with a fault used to fail alone. Now its neighbours may be in the same file.',
  lookAt: 'The console for errors; slider, menu, forms.',
  undo: 'Switch it off, or name one file as an exception.',
  options: [
    { key: 'styles', label: 'Styles', hint: 'style sheets of the same media.', input: SWITCH },
    { key: 'scripts', label: 'Scripts', hint: 'scripts that run in the same manner.', input: SWITCH },
    {
      key: 'evenMultiplexed',
      label: 'Over HTTP/2 too',
      hint: 'of little use there, and sometimes harmful.',
      input: SWITCH,
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const features: Remedy<'features'> = {
  id: 'features',
  name: 'Needless features',
  reach: 'page',
  inShort: 'Leave out scripts for features that a page is proven not to use.',
  does: 'Content systems put scripts into every page for what few pages have. Each is left out only where there is proof: no emoji in the text, no other page shown inside, no word from a migration shim when the page was measured.',
  helps: 'On nearly every page of a system that has grown for years; a little each time.',
  avoid: 'For scripts whose use cannot be seen from the page.',
  couldBreak: 'A comment with an emoji that comes later shows it in the font of the system.',
  lookAt: 'The console for errors.',
  undo: 'Switch it off, or name one file as an exception.',
  options: [
    { key: 'emoji', label: 'Emoji scripts', hint: 'on pages without emoji.', input: SWITCH },
    { key: 'embeds', label: 'Embed scripts', hint: 'on pages that show no other page.', input: SWITCH },
    {
      key: 'migration',
      label: 'Migration shims',
      hint: 'where the page was measured and the shim had nothing to say.',
      input: SWITCH,
    },
    {
      key: 'more',
      label: 'Needless besides',
      hint: 'Scripts and styles that you know to be needless.',
      input: { kind: 'patterns', placeholder: 'old-gallery.js' },
    },
    exceptionsOption('file', 'address', 'selector'),
  ],
}

export const polling: Remedy<'polling'> = {
  id: 'polling',
  name: 'Slower background polling',
  reach: 'page',
  inShort: 'Answer pages left open from the last answer, and ask the origin only now and then.',
  does: 'An open page that keeps asking the same gets the origin’s last answer to this very visitor and question, until the time below has passed. No visitor gets another’s answer.',
  helps: 'When open editor tabs keep a modest server busy; visitors gain the time it had no time for.',
  avoid: 'For polls that must be up to the second: a chat, a lock on a document.',
  couldBreak: 'News reaches an open page later by up to that time.',
  lookAt: 'Two editors with the same page open: how soon does one learn of the other?',
  undo: 'Switch it off.',
  options: [
    {
      key: 'paths',
      label: 'Addresses that are polled',
      hint: 'And all below them.',
      input: { kind: 'patterns', placeholder: '/editor/poll' },
    },
    {
      key: 'everyS',
      label: 'Ask the origin every',
      hint: 'Common practice is two minutes.',
      input: { kind: 'duration' },
    },
    exceptionsOption('address'),
  ],
}
