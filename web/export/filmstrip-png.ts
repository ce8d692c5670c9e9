import type { Run } from '../../core/contracts/measurements.ts'
import { shownAt } from '../../core/measuring/filmstrip.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { seconds } from '../format/show.ts'

const WIDE = 110
const GAP = 8
const TEXT = 20

const decoded = async (jpeg: string): Promise<HTMLImageElement> => {
  const image = new Image()
  image.src = `data:image/jpeg;base64,${jpeg}`
  await image.decode()
  return image
}

/** Filmstrips under each other as one picture. @param steps instants of the common clock, ms */
export const filmstripPng = async (runs: readonly Run[], steps: readonly number[]): Promise<Blob> => {
  const rows = await Promise.all(
    runs.map((run) =>
      Promise.all(
        steps.map(async (ms) => {
          const frame = shownAt(run.frames, ms)
          return frame === undefined ? undefined : decoded(frame.jpeg)
        }),
      ),
    ),
  )
  const heights = rows.map((row) =>
    Math.max(...row.map((one) => (one === undefined ? 0 : (WIDE * one.height) / one.width))),
  )
  const canvas = document.createElement('canvas')
  canvas.width = GAP + steps.length * (WIDE + GAP)
  canvas.height = heights.reduce((sum, height) => sum + height + 2 * TEXT + GAP, GAP)
  const pen = canvas.getContext('2d')!
  pen.fillStyle = '#fffefa'
  pen.fillRect(0, 0, canvas.width, canvas.height)
  pen.font = '13px sans-serif'
  let y = GAP
  rows.forEach((row, index) => {
    const [run, height = 0] = [runs[index], heights[index]]
    if (run === undefined) return
    const { side, metrics } = run
    pen.fillStyle = '#222'
    pen.fillText(`${sideName(side)}: main content after ${seconds(metrics?.lcpMs)}`, GAP, y + 13)
    row.forEach((image, at) => {
      const x = GAP + at * (WIDE + GAP)
      if (image !== undefined) pen.drawImage(image, x, y + TEXT, WIDE, (WIDE * image.height) / image.width)
      pen.strokeStyle = '#d4cfc1'
      pen.strokeRect(x, y + TEXT, WIDE, height)
      pen.fillText(seconds(steps[at]), x, y + TEXT + height + 14)
    })
    y += height + 2 * TEXT + GAP
  })
  return new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) => (blob === null ? reject(new Error('The picture could not be created.')) : resolve(blob)),
      'image/png',
    ),
  )
}
