import { access, mkdir, rename } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { PICTURES } from './content/seed.ts'

const hue = (seed: number, shift: number): number => (190 + ((seed * 37 + shift) % 70)) % 360

/** A made-up sound: sky, hills, water, and a boat somewhere. */
const scene = (width: number, height: number, seed: number): string => {
  const horizon = height * (0.42 + (seed % 5) * 0.04)
  const hills = Array.from({ length: 4 }, (_, i) => {
    const y = horizon - height * (0.05 + 0.05 * ((seed + i * 3) % 4))
    const x = (width * ((seed * 13 + i * 29) % 100)) / 100
    return `<path d="M${x - width * 0.4} ${horizon} Q${x} ${y - height * 0.12} ${x + width * 0.45} ${horizon}Z" fill="hsl(${hue(seed, i * 20)} 22% ${30 + i * 7}%)"/>`
  }).join('')
  const boatX = width * (0.2 + ((seed * 17) % 60) / 100)
  const boatY = horizon + height * 0.14
  const u = width / 26
  const boat = `<g transform="translate(${boatX} ${boatY})"><path d="M${-3 * u} 0h${6 * u}l${-u} ${1.3 * u}h${-4.2 * u}z" fill="#f2efe6"/><rect x="${-1.8 * u}" y="${-1.2 * u}" width="${3.4 * u}" height="${1.2 * u}" fill="hsl(${hue(seed, 9)} 40% 40%)"/><rect x="${-0.3 * u}" y="${-2.2 * u}" width="${0.8 * u}" height="${u}" fill="#c96a3d"/></g>`
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><defs><linearGradient id="s" x1="0" y1="0" x2="0" y2="1"><stop stop-color="hsl(${hue(seed, 0)} 55% 62%)"/><stop offset="1" stop-color="hsl(${30 + (seed % 20)} 60% 86%)"/></linearGradient><linearGradient id="w" x1="0" y1="0" x2="0" y2="1"><stop stop-color="hsl(${hue(seed, 5)} 35% 58%)"/><stop offset="1" stop-color="hsl(${hue(seed, 15)} 45% 24%)"/></linearGradient></defs><rect width="${width}" height="${horizon}" fill="url(#s)"/>${hills}<rect y="${horizon}" width="${width}" height="${height - horizon}" fill="url(#w)"/>${boat}</svg>`
}

const make = async (path: string, width: number, height: number, seed: number): Promise<void> => {
  // Grain, as a camera gives it: without it a drawn scene would weigh next to nothing as a JPEG.
  const grain = await sharp({
    create: {
      width,
      height,
      channels: 3,
      background: '#808080',
      noise: { type: 'gaussian', mean: 128, sigma: 34 },
    },
  })
    .blur(0.6)
    .png({ compressionLevel: 1 })
    .toBuffer()
  await sharp(Buffer.from(scene(width, height, seed)))
    .composite([{ input: grain, blend: 'soft-light' }])
    .jpeg({ quality: 86 })
    .toFile(`${path}.part`)
  await rename(`${path}.part`, path)
}

/** Make the pictures that are not there yet. */
export const makePictures = async (folder: string): Promise<void> => {
  await mkdir(folder, { recursive: true })
  const missing = [...PICTURES]
  const work = async (): Promise<void> => {
    for (let next = missing.shift(); next !== undefined; next = missing.shift()) {
      const { name, width, height, seed } = next
      const path = join(folder, `${name}.jpg`)
      await access(path).catch(() => make(path, width, height, seed))
    }
  }
  await Promise.all(Array.from({ length: 4 }, work))
}
