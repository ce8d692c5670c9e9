/** A word without the ending of its plural, as far as a few rules go. */
const singular = (word: string): string => {
  if (word.length > 4 && word.endsWith('ies')) return `${word.slice(0, -3)}y`
  if (word.length > 4 && /(?:s|x|ch|sh)es$/.test(word)) return word.slice(0, -2)
  return word.length > 3 && word.endsWith('s') && !word.endsWith('ss') ? word.slice(0, -1) : word
}

/** Words of a name such as `story_versions` or `deletedAt`: lower case, singular. */
export const nameWords = (name: string): string[] =>
  name
    .replaceAll(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}]+/u)
    .filter(Boolean)
    .map(singular)

/** What names and values of content systems call things, in the languages most of them are written in (common practice). */
const CUES = {
  trash:
    'trash trashed bin binned recycle deleted deletion removed discarded dustbin waste scrapped papierkorb geloescht gelöscht corbeille supprime supprimé papelera eliminado borrado cestino',
  spam: 'spam spammy junk unsolicited indesirable indésirable',
  draft:
    'draft drafted unpublished unfinished sketch sketched scratch wip incomplete entwurf brouillon borrador bozza concept',
  expiry: 'expire expiry expiration expired expiring ttl lapse perish ablauf caducidad',
  temporary:
    'temp temporary tmp cache cached transient ephemeral volatile lock nonce throttle otp captcha flash buffer scratchpad token session',
  session: 'session login signin visit visitor basket cart presence sitzung anmeldung sesion connexion',
  published: 'publish published publication live scheduled release released goe online appear embargo',
  changed: 'changed modified updated edited touched saved last seen active activity geaendert',
  created: 'created made added inserted born started on at date time when',
  type: 'type kind class model morph entity target',
} as const
export type Cue = keyof typeof CUES

const WORDS = Object.fromEntries(
  Object.entries(CUES).map(([cue, words]) => [cue, new Set(words.split(' ').map(singular))]),
) as Record<Cue, Set<string>>

/** Plurals and cases of other languages. */
const ENDINGS = ['en', 'es', 'e', 'n', 's']

/** Whether a name or a value says something of this sort. */
export const hasCue = (text: string, cue: Cue): boolean =>
  nameWords(text).some(
    (word) =>
      WORDS[cue].has(word) || ENDINGS.some((end) => word.endsWith(end) && WORDS[cue].has(word.slice(0, -end.length))),
  )
