import sharp, { type Sharp } from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { BULK_TASKS } from './bulk-tasks.ts'

/** Whether colours are kept in half the width and half the height: AV1CodecConfigurationRecord, "Carriage of AV1 in ISOBMFF" §2.3.3. */
const halved = (avif: Buffer): [width: boolean, height: boolean] => {
  const bits = avif[avif.indexOf('av1C') + 'av1C'.length + 2]!
  return [(bits & 0b1000) !== 0, (bits & 0b100) !== 0]
}

let photo: Sharp
beforeAll(() => {
  photo = sharp({
    create: {
      width: 64,
      height: 48,
      channels: 3,
      background: '#14506b',
      noise: { type: 'gaussian', mean: 128, sigma: 40 },
    },
  })
})

describe('AVIF keeps colours', () => {
  const made = async (bytes: Buffer, lossless = false): Promise<Buffer> =>
    (await BULK_TASKS.picture({ bytes, form: 'avif', width: 64, quality: 82, lossless }))!
  test.each<[string, () => Promise<Buffer>, boolean]>([
    [
      'in half the resolution where a JPEG does',
      () => photo.clone().jpeg({ chromaSubsampling: '4:2:0' }).toBuffer(),
      true,
    ],
    ['in half where a WebP does', () => photo.clone().webp().toBuffer(), true],
    ['finely where a JPEG does', () => photo.clone().jpeg({ chromaSubsampling: '4:4:4' }).toBuffer(), false],
    ['finely where a WebP lost nothing', () => photo.clone().webp({ lossless: true }).toBuffer(), false],
    ['finely for a PNG', () => photo.clone().png().toBuffer(), false],
  ])('%s', async (_name, original, half) => expect(halved(await made(await original()))).toEqual([half, half]))
  test('finely where nothing is to be lost, whatever the original does', async () => {
    const original = await photo.clone().jpeg({ chromaSubsampling: '4:2:0' }).toBuffer()
    expect(halved(await made(original, true))).toEqual([false, false])
  })
  test('what moves is left alone, in whatever form it does', async () => {
    const png = await photo.clone().png().toBuffer()
    expect(await BULK_TASKS.pictureFacts(png)).toEqual({ width: 64, height: 48, form: 'png' })
    // PNG, third edition, §11.3.3.1: an acTL chunk before the picture; its checksum is not looked at here.
    const control = Buffer.from([0, 0, 0, 8, ...Buffer.from('acTL'), 0, 0, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0])
    expect(
      await BULK_TASKS.pictureFacts(Buffer.concat([png.subarray(0, 33), control, png.subarray(33)])),
    ).toBeUndefined()
  })
  test('what is no picture gives none', async () =>
    expect(
      await BULK_TASKS.picture({
        bytes: Buffer.from('no picture'),
        form: 'avif',
        width: 64,
        quality: 82,
        lossless: false,
      }),
    ).toBeUndefined())
})
