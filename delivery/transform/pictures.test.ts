import { expect, test } from 'vitest'
import { epochMs } from '../../core/time.ts'
import { MemoryStore } from '../store/memory-store.ts'
import type { TransformPool } from './transform-pool.ts'
import { digest20 } from './digest.ts'
import { GeneratedAssets, picturesMade, type PictureRecipe } from './generated-assets.ts'
import { Pictures } from './pictures.ts'

const SOURCE = Buffer.alloc(5000, 1)
const RECIPE: PictureRecipe = {
  address: 'http://quay.example/p.jpg',
  source: digest20(SOURCE),
  form: 'jpeg',
  forms: ['avif', 'webp', 'jpeg'],
  widths: [640, 1200],
  quality: 80,
  lossless: false,
}

test('a form that is made quickly stands in until the best one is there', async () => {
  let finish: (bytes: Buffer) => void = () => undefined
  const pool = {
    quickPicture: async () => Buffer.from('webp'),
    picture: () => new Promise<Buffer>((resolve) => (finish = resolve)),
  } as unknown as TransformPool
  const store = new MemoryStore(1e6)
  const made = new GeneratedAssets(store, () => epochMs(0))
  const pictures = new Pictures(pool, made)
  const best = () => {
    const { entry, better } = pictures.best('s', 'd', 640, RECIPE.forms)
    return [entry?.fields.find(([name]) => name === 'content-type')?.[1], better]
  }
  expect(best()).toEqual([undefined, 'avif'])
  const making = pictures.want({
    siteId: 's',
    digest: 'd',
    recipe: RECIPE,
    width: 640,
    form: 'avif',
    fetch: async () => ({ bytes: SOURCE, type: 'image/jpeg' }) as never,
  })
  await expect.poll(best).toEqual(['image/webp', 'avif'])
  finish(Buffer.from('avif'))
  await making
  expect(best()).toEqual(['image/avif', undefined])
  made.putRecipe('s', 'd', RECIPE)
  made.putFile('s', 'f', 'style', Buffer.from('a{}'))
  expect([await picturesMade('s', store), await picturesMade('other', store)]).toEqual([1, 0])
})
