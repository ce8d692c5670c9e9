/** RFC 4180 §2: fields with quotes, commas or line breaks stand in quotes, and quotes in them are doubled. */
const field = (value: string | number | null): string => {
  const text = value === null ? '' : String(value)
  // A spreadsheet would carry out what begins like a formula.
  const plain = typeof value === 'string' && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text
  return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain
}

/** A table as CSV (RFC 4180), lines ended by CRLF. */
export const toCsv = (columns: readonly string[], rows: readonly (readonly (string | number | null)[])[]): string =>
  [columns, ...rows].map((row) => `${row.map(field).join(',')}\r\n`).join('')
