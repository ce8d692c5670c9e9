import type { RunMetrics } from '../../core/contracts/measuring.ts'
import type { Phase, WaterfallRow } from '../waterfall/rows.ts'
import { bytes, seconds } from '../format/show.ts'

const NAMES = 260
const FIGURES = 90
const TRACK = 700
const ROW = 18
const TOP = 54

const FILLS: Record<Phase, string> = {
  queued: '#d4cfc1',
  connect: '#77736a',
  tls: '#a29e93',
  wait: '#e6e2d6',
  receive: '#0c6a70',
}

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (sign) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[sign] ?? sign)

/** A waterfall as a picture of its own: on paper nothing can be opened, so names, sizes and times stand beside the bars. */
export const waterfallSvg = (
  title: string,
  rows: readonly WaterfallRow[],
  metrics: RunMetrics | null,
  endMs: number,
): { svg: string; width: number; height: number } => {
  const width = NAMES + FIGURES + TRACK + 30
  const height = TOP + rows.length * ROW + 30
  const at = (ms: number): number => NAMES + FIGURES + (ms / endMs) * TRACK
  const lines = rows.map((row, index) => {
    const y = TOP + index * ROW
    const bars = row.phases.map(
      ({ name, fromMs, toMs }) =>
        `<rect x="${at(fromMs).toFixed(1)}" y="${y + 3}" width="${Math.max(1, at(toMs) - at(fromMs)).toFixed(1)}" height="11" fill="${FILLS[name]}"/>`,
    )
    const size = row.record.fromCache ? 'cache' : bytes(row.record.sentBytes)
    return `<text x="8" y="${y + 13}">${escaped(row.name.slice(0, 40))}</text><text x="${NAMES + FIGURES - 10}" y="${y + 13}" text-anchor="end">${size}</text>${bars.join('')}`
  })
  const marks = [
    { name: 'first paint', ms: metrics?.fcpMs, dash: '3 3' },
    { name: 'main content', ms: metrics?.lcpMs, dash: 'none' },
  ].flatMap(({ name, ms, dash }) =>
    typeof ms === 'number'
      ? `<path d="M${at(ms)} ${TOP - 8}V${height - 24}" stroke="#6b5100" stroke-dasharray="${dash}" fill="none"/><text x="${at(ms) + 3}" y="${TOP - 12}" fill="#6b5100">${name} ${seconds(ms)}</text>`
      : [],
  )
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="sans-serif" font-size="11" fill="#222">
<rect width="100%" height="100%" fill="#fffefa"/><text x="8" y="20" font-size="14" font-weight="bold">${escaped(title)}</text>
${lines.join('\n')}${marks.join('')}<text x="${at(0)}" y="${height - 8}">0 s</text><text x="${at(endMs)}" y="${height - 8}" text-anchor="end">${seconds(endMs)}</text></svg>`
  return { svg, width, height }
}
