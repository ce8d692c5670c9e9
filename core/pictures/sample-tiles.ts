/** Red, green, blue and opacity of each pixel, row by row. */
export interface Pixels {
  readonly values: Uint8Array
  readonly width: number
  readonly height: number
}

/** Side of a tile, pixels: whole blocks of every form, so that a tile is compressed as it would be in its place. */
const TILE = 192
const ACROSS = 3
const DOWN = 2

/** A picture with fewer pixels is tried as it is. */
const LARGE = 350_000

/**
 * Parts of a large picture, spread over it and laid side by side: what quality it needs can be tried on them in a fraction of the time.
 * @returns undefined for a picture that is small enough to be tried as it is, or too narrow to be cut
 */
export const sampleTiles = ({ values, width, height }: Pixels): Pixels | undefined => {
  if (width * height < LARGE || width < ACROSS * TILE || height < DOWN * TILE) return undefined
  const tiles = new Uint8Array(ACROSS * TILE * DOWN * TILE * 4)
  for (let row = 0; row < DOWN; row++)
    for (let column = 0; column < ACROSS; column++) {
      // In the middle of its share of the picture.
      const left = Math.floor(((column + 0.5) * width) / ACROSS - TILE / 2)
      const top = Math.floor(((row + 0.5) * height) / DOWN - TILE / 2)
      for (let y = 0; y < TILE; y++) {
        const from = 4 * ((top + y) * width + left)
        const to = 4 * ((row * TILE + y) * ACROSS * TILE + column * TILE)
        tiles.set(values.subarray(from, from + 4 * TILE), to)
      }
    }
  return { values: tiles, width: ACROSS * TILE, height: DOWN * TILE }
}
