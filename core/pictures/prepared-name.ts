import type { PictureForm } from '../contracts/picture-library.ts'

/** A lighter picture as a file: made from a source with that content, in one width and form. */
export interface PreparedName {
  /** SHA-256 of the source’s bytes, hexadecimal. */
  readonly source: string
  /** Pixels. */
  readonly width: number
  readonly form: PictureForm
}

const NAME = /^([0-9a-f]{64})\.(\d{1,5})\.(avif|webp|jpeg|png|gif)$/

/** Name of the file: by what the source holds, so that another picture at the same address is never mistaken for it. */
export const preparedName = ({ source, width, form }: PreparedName): string => `${source}.${width}.${form}`

/** @returns undefined for a file that is something else */
export const readPreparedName = (name: string): PreparedName | undefined => {
  const [, source, width, form] = NAME.exec(name) ?? []
  return source === undefined || form === undefined
    ? undefined
    : { source, width: Number(width), form: form as PictureForm }
}
