import type { RemedyGuide } from './remedy.ts'

/** The object cache, told in the words of the remedies. It is no part of a setup: the content system itself asks it. */
export const OBJECT_CACHE: Pick<RemedyGuide<never>, 'does' | 'helps' | 'avoid' | 'couldBreak' | 'lookAt' | 'undo'> & {
  readonly name: string
  readonly inShort: string
} = {
  name: 'Object cache',
  inShort:
    'Your content system keeps results of its database in memory, so that pages that cannot be stored are built faster.',
  does: 'To build a page, a content system asks its database dozens of times for the same small things. With an object cache it keeps what came back, and asks the database only for what has changed.',
  helps:
    'For signed-in visitors, editors, baskets and first builds of pages, when many queries or a slow database make up much of the server wait.',
  avoid:
    'Where nearly every page comes from the store already, or where the content system has no client for an object cache: it then stays empty.',
  couldBreak:
    'A content system or an extension that does not remove what an edit has changed shows old content until that runs out.',
  lookAt:
    'A page right after you edit it, a basket after something is put in, and the settings of an extension after they are saved.',
  undo: 'Switch it off in your content system, or here: reads miss at once, and every page asks the database as before.',
}
