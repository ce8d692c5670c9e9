import { crc32 } from './crc32.ts'

/** How the bytes of a rules file are read: as UTF-8 where they are, and otherwise each byte as one character, so that none is lost. */
export type RulesFileCoding = 'utf-8' | 'latin1'

export interface RulesFileText {
  readonly text: string
  readonly coding: RulesFileCoding
}

/** A byte order mark stays, as the character that it is. */
const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })

export const readRulesFile = (bytes: Uint8Array): RulesFileText => {
  try {
    return { text: UTF8.decode(bytes), coding: 'utf-8' }
  } catch {
    return { text: Array.from(bytes, (byte) => String.fromCharCode(byte)).join(''), coding: 'latin1' }
  }
}

/** The bytes of a rules file, coded as they were read; what is added to it is ASCII. */
export const writeRulesFile = ({ text, coding }: RulesFileText): Uint8Array =>
  coding === 'utf-8' ? new TextEncoder().encode(text) : Uint8Array.from(text, (character) => character.charCodeAt(0))

/** Checksum by which a file is known again, whatever ends its lines: a text field in a browser changes that. */
export const rulesFileChecksum = (text: string): string => crc32(text.replaceAll('\r\n', '\n'))
