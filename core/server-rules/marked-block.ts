import { crc32 } from './crc32.ts'

const BEGIN = '# Zest Lamp: rules begin'
const END = '# Zest Lamp: rules end'
const BEGIN_LINE = /^# Zest Lamp: rules begin, checksum ([0-9a-f]{8})$/
const BYTE_ORDER_MARK = '\uFEFF'

/** What of ours is in a rules file. */
export type FoundBlock =
  | { readonly kind: 'none' }
  | {
      readonly kind: 'ours'
      /** The rules themselves, lines ended by line feeds. */
      readonly rules: string
      /** Whether somebody has changed them by hand since. */
      readonly changedByHand: boolean
      /** First and last line of the block, counted from 1. */
      readonly lines: readonly [number, number]
    }
  /** Nothing may be put in or taken out: it is not clear what is ours. */
  | { readonly kind: 'unclear'; readonly why: string }

interface Line {
  readonly text: string
  /** Where it begins, and where the next one does. */
  readonly from: number
  readonly to: number
}

const linesOf = (file: string): Line[] => {
  const lines: Line[] = []
  for (const { 0: whole, index } of file.matchAll(/[^\n]*(?:\n|$)/g)) {
    if (whole === '') continue
    lines.push({
      text: whole.replace(/\r?\n$/, '').replace(BYTE_ORDER_MARK, ''),
      from: index,
      to: index + whole.length,
    })
  }
  return lines
}

/** Read our block out of a rules file. */
export const findBlock = (file: string): FoundBlock => {
  const lines = linesOf(file)
  const at = (mark: string): number[] => lines.flatMap(({ text }, index) => (text.startsWith(mark) ? [index] : []))
  const [begins, ends] = [at(BEGIN), at(END)]
  if (begins.length === 0 && ends.length === 0) return { kind: 'none' }
  const [begin = -1] = begins
  const [end = -1] = ends
  if (begins.length > 1 || ends.length > 1)
    return {
      kind: 'unclear',
      why: `The file has two blocks of Zest Lamp, in lines ${[...begins, ...ends].map((index) => index + 1).join(', ')}. Remove one of them by hand.`,
    }
  if (begin === -1 || end < begin)
    return {
      kind: 'unclear',
      why: 'The block of Zest Lamp is not complete: one of its two comment lines is missing. Remove what is left of it by hand.',
    }
  const rules = lines
    .slice(begin + 1, end)
    .map(({ text }) => text)
    .join('\n')
  const [, checksum] = BEGIN_LINE.exec(lines[begin]?.text ?? '') ?? []
  return { kind: 'ours', rules, changedByHand: checksum !== crc32(rules), lines: [begin + 1, end + 1] }
}

/** How a file ends its lines: as it does most of the time. */
const endingOf = (file: string): string => {
  const all = file.split('\n').length - 1
  return all > 0 && file.split('\r\n').length - 1 > all / 2 ? '\r\n' : '\n'
}

const removed = (file: string): { before: string; after: string } => {
  const lines = linesOf(file)
  const begin = lines.find(({ text }) => text.startsWith(BEGIN))
  const end = lines.find(({ text }) => text.startsWith(END))
  if (begin === undefined || end === undefined) return { before: '', after: file }
  const mark = file.startsWith(BYTE_ORDER_MARK) && begin.from === 0 ? BYTE_ORDER_MARK : ''
  return { before: mark + file.slice(mark.length, begin.from), after: file.slice(end.to) }
}

/**
 * The file with our block in it: where it was, or else at its beginning, so that addresses are sent on before anything else decides about them.
 * Outside the block every byte stays.
 * @throws Error when it is not clear what is ours; ask findBlock first
 */
export const withBlock = (file: string, rules: string): string => {
  const found = findBlock(file)
  if (found.kind === 'unclear') throw new Error(found.why)
  const ending = endingOf(file)
  const block = [`${BEGIN}, checksum ${crc32(rules)}`, ...rules.split('\n'), END].join(ending) + ending
  if (found.kind === 'ours') {
    const { before, after } = removed(file)
    return before + block + after
  }
  const mark = file.startsWith(BYTE_ORDER_MARK) ? BYTE_ORDER_MARK : ''
  return mark + block + file.slice(mark.length)
}

/** The file without our block, every other byte as it is. @throws Error when it is not clear what is ours */
export const withoutBlock = (file: string): string => {
  const found = findBlock(file)
  if (found.kind === 'unclear') throw new Error(found.why)
  const { before, after } = removed(file)
  return before + after
}
