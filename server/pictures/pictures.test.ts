import { createHash } from 'node:crypto'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { fromBuffer, type ZipFile } from 'yauzl'
import { PicturePlan, type LibraryPicture, type PictureLibrary } from '../../core/contracts/picture-library.ts'
import { readPreparedName } from '../../core/pictures/prepared-name.ts'
import { drawing, moving, photo } from '../testing/made-up-pictures.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'
import type { PictureMaker } from './picture-worker.ts'
import { orderScheduledPictures } from './scheduled-pictures.ts'

let bench: ServerBench
let siteId = ''
/** The media folder of the site, which its server sends as /media/. */
let media = ''
const made: Record<string, Buffer> = {}

beforeAll(async () => {
  made['harbour.jpg'] = await photo(1).jpeg({ quality: 96 }).toBuffer()
  made['mole.jpg'] = await photo(2).jpeg({ quality: 96 }).toBuffer()
  made['logo.png'] = await drawing(1).png({ compressionLevel: 1 }).toBuffer()
  made['flag.gif'] = await moving()
  made['Küste 港.png'] = await drawing(2).png({ compressionLevel: 1 }).toBuffer()
  made['liar.jpg'] = await drawing(3).png().toBuffer()
  made['broken.jpg'] = made['mole.jpg'].subarray(0, 2000)
})
const PAGE =
  '<img src="/media/harbour.jpg"><img src="/media/logo.png"><img src="/media/liar.jpg"><img src="/draw.svg"><img src="https://elsewhere.example/x.jpg">'
const files: Record<string, { type: string; body: string | Buffer }> = {}

const api = (path: string): string => `/sites/${siteId}/pictures${path}`
const sent = async (method: string, path: string, body?: unknown): Promise<Json> => {
  const answer = await bench.call(method, api(path), body)
  if (answer.status >= 300) throw new Error(JSON.stringify(answer.body))
  return answer.body
}
const library = (): Promise<PictureLibrary> => sent('GET', '') as Promise<PictureLibrary>
const list = async (query = ''): Promise<LibraryPicture[]> =>
  ((await sent('GET', `/list${query}`)) as { pictures: LibraryPicture[] }).pictures
const named = async (name: string): Promise<LibraryPicture> =>
  (await list()).find(({ path }) => path === `/media/${encodeURIComponent(name)}`) ?? expect.fail(`no ${name}`)
const plan = async (change: Partial<PicturePlan>): Promise<void> => {
  await sent('PUT', '/plan', { ...(await library()).plan, ...change })
}
/** Order a piece of work and wait for its end. @returns how it ended */
const worked = async (path: string, body: unknown = {}): Promise<Json> => {
  const { id } = await sent('POST', path, body)
  await bench.services.jobs.idle()
  return (await bench.call('GET', '/jobs')).body.find((one: Json) => one.id === id)
}
const connectMedia = async (): Promise<void> => {
  bench.siteFolders.push(media)
  await sent('PUT', '/media-place', { place: { protocol: 'folder', folder: media } })
  await plan({ mediaPath: '/media/' })
}
const PLAN = PicturePlan.parse({})
/** As easy as it gets, so that little is tried. */
const QUICK: Partial<PicturePlan> = { bound: { kind: 'ssim', atLeast: 0.9 }, forms: ['webp'] }

/** The same picture by the same plan is made once for all tests. */
const choices = new Map<string, ReturnType<PictureMaker['choose']>>()

beforeEach(async () => {
  bench = await ServerBench.open()
  const { choose } = bench.pictureMaker
  Object.assign(bench.pictureMaker, {
    choose: (bytes: Buffer, { lossless, forms, bound }: PicturePlan, signal: AbortSignal) => {
      const key = JSON.stringify([createHash('sha256').update(bytes).digest('hex'), lossless, forms, bound])
      const known = choices.get(key) ?? choose(bytes, { ...PLAN, lossless, forms, bound }, signal)
      choices.set(key, known)
      return known
    },
  })
  for (const key of Object.keys(files)) delete files[key]
  files['/'] = { type: 'text/html', body: PAGE }
  files['/news'] = { type: 'text/html', body: '<link rel=stylesheet href="/s.css"><img src="/media/harbour.jpg">' }
  files['/s.css'] = { type: 'text/css', body: 'i{background:url(/media/flag.gif)}' }
  files['/sitemap.xml'] = {
    type: 'application/xml',
    body: `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>${bench.siteUrl}/news</loc></url></urlset>`,
  }
  media = mkdtempSync(join(tmpdir(), 'zest-media-'))
  for (const [name, bytes] of Object.entries(made)) writeFileSync(join(media, name), bytes)
  bench.site = (path) => {
    const file = path.startsWith('/media/') ? join(media, decodeURIComponent(path.slice(7))) : ''
    if (file !== '' && existsSync(file)) return { headers: { 'content-type': 'image/jpeg' }, body: readFileSync(file) }
    const found = files[path]
    return found === undefined ? undefined : { headers: { 'content-type': found.type }, body: found.body }
  }
  siteId = (await bench.connect()).id
})
afterEach(async () => {
  expect(bench.errors).toEqual([])
  await bench.close()
  rmSync(media, { recursive: true })
})

describe('The library', () => {
  test('is what pages, style sheets and the media folder hold, with what it would save', async () => {
    await plan(QUICK)
    expect((await worked('/surveys')).state).toBe('done')
    const seen = await list('?sort=path')
    expect(seen.map(({ path }) => path)).toEqual([
      '/media/flag.gif',
      '/media/harbour.jpg',
      '/media/liar.jpg',
      '/media/logo.png',
    ])
    expect(await named('harbour.jpg')).toMatchObject({
      ...{ pages: ['/', '/news'], bytes: made['harbour.jpg']?.length, width: 160, height: 120, form: 'jpeg' },
      ...{ state: 'found', file: null, treatment: 'as-planned', variants: [] },
    })
    // By what it holds, whatever it is called.
    expect((await named('liar.jpg')).form).toBe('png')
    const { counts, bytes, survey, lighter, largest } = await library()
    expect(counts).toMatchObject({ found: 4, lighter: 0 })
    expect(bytes).toBe(seen.reduce((sum, one) => sum + one.bytes, 0))
    expect(largest[0]?.bytes).toBe(Math.max(...seen.map((one) => one.bytes)))
    expect(survey?.result?.estimate).toMatchObject({ pictures: 4, before: bytes })
    expect(survey?.result?.estimate?.after).toBeLessThan(bytes)
    expect(survey?.result?.sources.join(' ')).toMatch(/SVG.*1 were passed over.*other hosts.*1 were/)
    // Nothing was made yet: what was tried is thrown away.
    expect([lighter.before, existsSync(join(bench.picturesFolder, siteId))]).toEqual([0, false])
    await connectMedia()
    await worked('/surveys')
    expect((await list()).length).toBe(7)
    expect(await named('Küste 港.png')).toMatchObject({ pages: [], file: 'Küste 港.png', state: 'found' })
    expect(await named('harbour.jpg')).toMatchObject({ pages: ['/', '/news'], file: 'harbour.jpg' })
  })
  test('is followed: what is new is found, what has changed is looked at again, what is gone goes', async () => {
    await plan(QUICK)
    await connectMedia()
    await worked('/surveys')
    await worked('/conversions')
    const before = await named('mole.jpg')
    expect(before.state).toBe('lighter')
    writeFileSync(join(media, 'mole.jpg'), made['harbour.jpg'] ?? '')
    rmSync(join(media, 'logo.png'))
    files['/'] = { type: 'text/html', body: '' }
    writeFileSync(join(media, 'new.png'), made['logo.png'] ?? '')
    await worked('/surveys')
    expect(await named('mole.jpg')).toMatchObject({ state: 'found', variants: [] })
    expect((await named('new.png')).state).toBe('found')
    expect((await named('harbour.jpg')).state).toBe('lighter')
    expect((await list()).some(({ path }) => path === '/media/logo.png')).toBe(false)
    expect((await library()).survey?.result?.gone).toBe(1)
  })
})

describe('Making pictures lighter', () => {
  beforeEach(async () => {
    await plan(QUICK)
    await connectMedia()
    await worked('/surveys')
  })
  const prepared = (): string[] => readdirSync(join(bench.picturesFolder, siteId))

  test('gives each a clear state, and delivery the files', async () => {
    expect((await worked('/conversions')).state).toBe('done')
    const states = Object.fromEntries(
      (await list()).map(({ path, state, reason }) => [decodeURIComponent(path.slice(7)), [state, reason]]),
    )
    expect(states).toMatchObject({
      'harbour.jpg': ['lighter', null],
      'logo.png': ['lighter', null],
      'Küste 港.png': ['lighter', null],
      'liar.jpg': ['lighter', null],
      'broken.jpg': ['failed', expect.stringContaining('damaged')],
    })
    const harbour = await named('harbour.jpg')
    const digest = createHash('sha256')
      .update(made['harbour.jpg'] ?? '')
      .digest('hex')
    const own = prepared()
      .map(readPreparedName)
      .filter((name) => name?.source === digest)
    expect(own.map((name) => name?.form).sort()).toEqual(harbour.variants.map(({ form }) => form).sort())
    expect(bench.picturesChanged).toContain(siteId)
    const { lighter, counts, months } = await library()
    expect(lighter.after).toBeLessThan(lighter.before)
    expect(counts.lighter).toBe(months[0]?.pictures)
    expect(months).toEqual([
      { month: new Date().toISOString().slice(0, 7), pictures: counts.lighter, ...lighter, msMainContent: null },
    ])
  })
  test('leaves out what the owner wants left out, and makes again what is wanted again', async () => {
    await worked('/conversions')
    const { id } = await named('harbour.jpg')
    const digest = createHash('sha256')
      .update(made['harbour.jpg'] ?? '')
      .digest('hex')
    expect(prepared().some((name) => name.startsWith(digest))).toBe(true)
    await sent('PUT', `/${id}`, { treatment: 'leave-out' })
    expect(prepared().some((name) => name.startsWith(digest))).toBe(false)
    await worked('/conversions', { which: 'all' })
    expect((await named('harbour.jpg')).state).toBe('left-out')
    await sent('PUT', `/${id}`, { treatment: 'lossless' })
    await worked('/conversions')
    // As a JPEG it cannot be lighter without loss.
    expect(await named('harbour.jpg')).toMatchObject({
      treatment: 'lossless',
      state: expect.stringMatching(/lighter|no-gain/) as string,
    })
    for (const { quality } of (await named('harbour.jpg')).variants) expect(quality).toBeNull()
  })
  test('pauses, goes on, and goes on after a restart', async () => {
    await plan({ work: 'paused' })
    const { id } = await sent('POST', '/conversions', {})
    const job = async (): Promise<Json> => (await bench.call('GET', '/jobs')).body.find((one: Json) => one.id === id)
    await expect.poll(async () => (await job()).now).toBe('Paused')
    expect((await library()).counts.found).toBe(7)
    await bench.restartJobs()
    await expect.poll(async () => (await job()).now).toBe('Paused')
    expect(await bench.call('POST', api('/surveys'))).toMatchObject({
      status: 409,
      body: { code: 'PICTURES_UNDER_WAY' },
    })
    await plan({ work: 'running' })
    await bench.services.jobs.idle()
    expect((await job()).state).toBe('done')
    expect((await library()).counts.found).toBe(0)
  }, 30_000)
  test('waits for quiet hours', async () => {
    bench.now = () => new Date('2026-11-10T12:00:00Z')
    await plan({ quiet: { from: '02:00', to: '05:00', zone: 'UTC' } })
    const { id } = await sent('POST', '/conversions', {})
    await expect
      .poll(async () => (await bench.call('GET', '/jobs')).body.find((one: Json) => one.id === id).now)
      .toContain('02:00')
    await bench.call('POST', `/jobs/${id}/cancel`)
    await bench.services.jobs.idle()
    expect((await library()).counts.found).toBe(7)
  })
  test('says that the disk is full, and loses nothing', async () => {
    Object.assign(bench.pictureMaker, {
      choose: async () => Promise.reject(Object.assign(new Error('no room'), { code: 'ENOSPC' })),
    })
    expect(await worked('/conversions')).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('disk of this machine is full') as string,
    })
    expect((await library()).counts.found).toBe(7)
  })
  test('shows both sides, and hands all lighter pictures out as an archive that others read', async () => {
    await worked('/conversions')
    const { id, variants } = await named('logo.png')
    const bytesAt = async (path: string) => bench.raw(api(path))
    const original = await bytesAt(`/${id}/original`)
    expect([original.headers.get('content-type'), original.body.equals(made['logo.png'] ?? Buffer.alloc(0))]).toEqual([
      'image/png',
      true,
    ])
    expect(original.headers.get('content-security-policy')).toContain('sandbox')
    const lighter = await bytesAt(`/${id}/lighter/webp`)
    expect([lighter.headers.get('content-type'), lighter.body.length]).toEqual(['image/webp', variants[0]?.bytes])
    const zip = (await promisify(
      fromBuffer as (b: Buffer, o: object, c: (e: Error | null, z: ZipFile) => void) => void,
    )((await bytesAt('/archive')).body, { lazyEntries: false })) as unknown as ZipFile
    const names: string[] = []
    zip.on('entry', (entry: { fileName: string }) => names.push(entry.fileName))
    await new Promise((resolve) => zip.on('end', resolve))
    expect(names).toEqual(
      expect.arrayContaining(['media/logo.png.webp', 'media/Küste 港.png.webp', 'media/harbour.jpg']),
    )
  })
})

describe('Written back to the server of the site', () => {
  beforeEach(async () => {
    await plan(QUICK)
    await connectMedia()
    await worked('/surveys')
    await worked('/conversions')
  })
  const all = (): Record<string, Buffer> =>
    Object.fromEntries(
      readdirSync(media, { recursive: true, withFileTypes: true })
        .filter((entry) => entry.isFile())
        .map((entry) => [
          join(entry.parentPath, entry.name).slice(media.length + 1),
          readFileSync(join(entry.parentPath, entry.name)),
        ]),
    )

  test('over the originals, which are kept in a dated folder and put back by one order', async () => {
    const before = all()
    expect((await worked('/placings', { how: 'over' })).state).toBe('done')
    const after = all()
    const kept = Object.keys(after).filter((name) => /^zest-originals-\d{4}-\d\d-\d\d\//.test(name))
    expect(kept.length).toBeGreaterThan(1)
    for (const name of kept)
      expect(after[name]?.equals(before[name.split('/').slice(1).join('/')] ?? Buffer.alloc(0))).toBe(true)
    expect(after['harbour.jpg']?.length).toBeLessThan(before['harbour.jpg']?.length ?? 0)
    expect((await named('harbour.jpg')).placed).toMatchObject({
      how: 'over',
      original: expect.stringContaining('harbour.jpg') as string,
    })
    // They are no new pictures, nor are those that were kept.
    await worked('/surveys')
    expect((await list()).length).toBe(7)
    expect((await named('harbour.jpg')).state).toBe('lighter')
    expect((await worked('/placings', { how: 'back' })).state).toBe('done')
    expect(all()).toEqual(before)
    expect((await library()).placed).toBe(0)
    const [entry] = (await bench.call('GET', `/sites/${siteId}/ledger`)).body
    expect(entry).toMatchObject({ kind: 'upkeep', title: 'Putting original pictures back' })
  })
  test('beside the originals, which nobody touches', async () => {
    const before = all()
    await worked('/placings', { how: 'beside' })
    const after = all()
    for (const [name, bytes] of Object.entries(before)) expect(after[name]?.equals(bytes)).toBe(true)
    expect(Object.keys(after)).toEqual(expect.arrayContaining(['logo.png.webp', 'Küste 港.png.webp']))
    await worked('/placings', { how: 'back' })
    expect(all()).toEqual(before)
  })
  test('not where the file has changed, and the original comes back only in place of what was written', async () => {
    const owners = made['mole.jpg'] ?? Buffer.alloc(0)
    writeFileSync(join(media, 'harbour.jpg'), owners)
    await worked('/placings', { how: 'over' })
    expect(readFileSync(join(media, 'harbour.jpg')).equals(owners)).toBe(true)
    expect((await bench.call('GET', `/sites/${siteId}/ledger`)).body[0].changes.join(' ')).toContain('changed since')
    writeFileSync(join(media, 'mole.jpg'), made['logo.png'] ?? '')
    await worked('/placings', { how: 'back' })
    expect(readFileSync(join(media, 'mole.jpg')).equals(made['logo.png'] ?? Buffer.alloc(0))).toBe(true)
    expect((await named('mole.jpg')).placed).not.toBeNull()
  })
  test('not without room for the originals: what was there stays', async () => {
    const before = all()
    // A file where the folder would have to be.
    writeFileSync(join(media, `zest-originals-${new Date().toISOString().slice(0, 10)}`), '')
    const job = await worked('/placings', { how: 'over' })
    expect(job).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('originals can be put back') as string,
    })
    expect(all()).toMatchObject(before)
  })
})

test('new pictures are found and made lighter by schedule', async () => {
  await plan({ ...QUICK, every: { count: 1, unit: 'days' } })
  await orderScheduledPictures(bench.services)
  await bench.services.jobs.idle()
  expect((await library()).counts.found).toBe(4)
  await orderScheduledPictures(bench.services)
  await bench.services.jobs.idle()
  expect((await library()).counts).toMatchObject({ found: 0 })
  const jobs = (await bench.call('GET', '/jobs')).body.length
  await orderScheduledPictures(bench.services)
  expect((await bench.call('GET', '/jobs')).body.length).toBe(jobs)
  files['/'] = { type: 'text/html', body: `${PAGE}<img src="/media/mole.jpg">` }
  await orderScheduledPictures({ ...bench.services, now: () => new Date(Date.now() + 25 * 3_600_000) })
  await bench.services.jobs.idle()
  expect((await named('mole.jpg')).state).toBe('found')
})

test('what the owner leaves out while it is being made stays left out', async () => {
  await plan(QUICK)
  await worked('/surveys')
  const { id } = await named('harbour.jpg')
  const { choose } = bench.pictureMaker
  Object.assign(bench.pictureMaker, {
    choose: async (...args: Parameters<PictureMaker['choose']>) => {
      await sent('PUT', `/${id}`, { treatment: 'leave-out' })
      return choose(...args)
    },
  })
  await worked('/conversions')
  const digest = createHash('sha256')
    .update(made['harbour.jpg'] ?? '')
    .digest('hex')
  expect((await named('harbour.jpg')).state).toBe('left-out')
  expect(readdirSync(join(bench.picturesFolder, siteId)).some((name) => name.startsWith(digest))).toBe(false)
})

test('lighter pictures go with their site', async () => {
  await plan(QUICK)
  await worked('/surveys')
  await worked('/conversions')
  expect(existsSync(join(bench.picturesFolder, siteId))).toBe(true)
  await bench.call('DELETE', `/sites/${siteId}`)
  expect(existsSync(join(bench.picturesFolder, siteId))).toBe(false)
})

test('a server that is away for a while takes nothing away from the library', async () => {
  await plan(QUICK)
  await connectMedia()
  await worked('/surveys')
  await worked('/conversions')
  const before = await list()
  const files = readdirSync(join(bench.picturesFolder, siteId))
  bench.site = () => ({ status: 503, body: '' })
  await worked('/surveys')
  expect(await list()).toEqual(before.map((one) => ({ ...one, pages: expect.any(Array) as string[] })))
  expect(readdirSync(join(bench.picturesFolder, siteId))).toEqual(files)
})
