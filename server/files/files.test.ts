import {
  chmodSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { randomBytes } from 'node:crypto'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { FilePlace, FileSecret } from '../../core/contracts/file-connections.ts'
import {
  BreakingWay,
  hasDav,
  hasFtpd,
  hasSshd,
  startDav,
  startFtpd,
  startSshd,
  type FileServerBench,
} from '../testing/file-servers.ts'
import { FileFailure, onItsWay, takePlace, type FileServer } from './file-server.ts'
import { openFiles } from './open-files.ts'

const place = (more: Partial<FilePlace>): FilePlace => ({
  protocol: 'sftp',
  address: '',
  user: 'keeper',
  folder: '',
  fingerprint: null,
  ...more,
})
const open = (
  where: FilePlace,
  secret: FileSecret = { kind: 'none' },
  reach: 'allowed' | 'refused' = 'allowed',
  roots: string[] = [],
): Promise<FileServer> => openFiles({ place: where, secret, reach }, roots)
const text = (words: string): Buffer => Buffer.from(words)
const failureOf = (promise: Promise<unknown>): Promise<FileFailure> =>
  promise.then(
    () => expect.fail('it did not fail'),
    (error: unknown) => {
      expect(error).toBeInstanceOf(FileFailure)
      return error as FileFailure
    },
  )

/** What every connection does, whatever it speaks. */
const behavesAsFiles = async (files: FileServer, folder: string, modes: 'kept' | 'not-kept'): Promise<void> => {
  const path = join(folder, '.htaccess')
  expect(await files.read('.htaccess')).toBeUndefined()
  await files.write('.htaccess', { bytes: text('# first\r\n'), mode: undefined })
  expect(readFileSync(path, 'utf8')).toBe('# first\r\n')
  await files.write('.htaccess', { bytes: text('# second\n'), mode: 0o640 })
  expect(readFileSync(path, 'utf8')).toBe('# second\n')
  if (modes === 'kept') expect(statSync(path).mode & 0o777).toBe(0o640)
  const read = await files.read('.htaccess')
  expect(read?.bytes.toString()).toBe('# second\n')
  if (modes === 'kept') expect(read?.mode).toBe(0o640)
  await files.write('.htaccess', { bytes: text(''), mode: undefined })
  expect(readFileSync(path, 'utf8')).toBe('')
  await files.remove('.htaccess')
  const own = mkdtempSync(join(tmpdir(), 'zest-large-'))
  const large = randomBytes(3_000_000)
  writeFileSync(join(own, 'large'), large)
  for (const bytes of [text(''), text('before'), large]) {
    writeFileSync(join(own, 'large'), bytes)
    await files.send(join(own, 'large'), 'large.age')
    expect(readdirSync(folder)).toEqual(['large.age'])
    expect(readFileSync(join(folder, 'large.age')).equals(bytes)).toBe(true)
    await files.fetch('large.age', join(own, 'back'))
    expect(readFileSync(join(own, 'back')).equals(bytes)).toBe(true)
  }
  if (modes === 'kept') {
    chmodSync(join(folder, 'large.age'), 0o664)
    await files.send(join(own, 'large'), 'large.age')
    expect(statSync(join(folder, 'large.age')).mode & 0o777).toBe(0o664)
  }
  await files.remove('large.age')
  await listsFolders(files, folder, own)
  expect((await failureOf(files.fetch('large.age', join(own, 'none')))).message).toMatch(/\.$/)
  rmSync(own, { recursive: true })
  expect(readdirSync(folder)).toEqual([])
  expect((await failureOf(files.remove('.htaccess'))).message).toMatch(/\.$/)
}

/** Folders are made and listed, and files in them have names of any script. */
const listsFolders = async (files: FileServer, folder: string, own: string): Promise<void> => {
  writeFileSync(join(own, 'picture'), text('picture'))
  await files.makeFolder('2026/harbour')
  await files.makeFolder('2026/harbour')
  const names = ['Mole & Küste 100%.jpg', '港.png']
  for (const name of names) await files.send(join(own, 'picture'), `2026/harbour/${name}`)
  expect(await files.list('')).toEqual([{ name: '2026', kind: 'folder', bytes: expect.any(Number) as number }])
  expect((await files.list('2026/harbour')).sort((a, b) => (a.name < b.name ? -1 : 1))).toEqual(
    names.map((name) => ({ name, kind: 'file', bytes: 7 })),
  )
  await files.fetch('2026/harbour/港.png', join(own, 'back'))
  expect(readFileSync(join(own, 'back'), 'utf8')).toBe('picture')
  expect((await failureOf(files.list('2027'))).message).toMatch(/\.$/)
  rmSync(join(folder, '2026'), { recursive: true })
}

/** Linux' own device for it: whatever is written there finds no room (full(4)). */
const saysFullDisk = async (files: FileServer, folder: string): Promise<string> => {
  const path = join(folder, '.htaccess')
  writeFileSync(path, '# before\n')
  symlinkSync('/dev/full', join(folder, onItsWay('.htaccess')))
  const { message } = await failureOf(files.write('.htaccess', { bytes: text('# after\n'), mode: undefined }))
  expect(readFileSync(path, 'utf8')).toBe('# before\n')
  expect(readdirSync(folder)).toEqual(['.htaccess'])
  rmSync(path)
  return message
}

/** Whenever the connection breaks off, the file is the old one or the new one, and whole. */
const survivesBreaks = async (
  connect: (port: number) => Promise<FileServer>,
  server: FileServerBench,
): Promise<void> => {
  const path = join(server.files, '.htaccess')
  const way = await BreakingWay.to(server.port)
  const [before, after] = ['# before\n'.repeat(400), '# after\n'.repeat(900)]
  let isWritten = false
  let breaks = 0
  for (let pieces = 0; !isWritten && pieces < 200; pieces++) {
    writeFileSync(path, before)
    way.left = pieces
    isWritten = await connect(way.port).then(
      async (files) => {
        const done = await files.write('.htaccess', { bytes: text(after), mode: undefined }).then(
          () => true,
          () => false,
        )
        await files.end()
        return done
      },
      () => false,
    )
    if (!isWritten) breaks++
    expect([before, after]).toContain(readFileSync(path, 'utf8'))
  }
  expect(isWritten).toBe(true)
  expect(breaks).toBeGreaterThan(3)
  await way.close()
  rmSync(path)
  rmSync(join(server.files, onItsWay('.htaccess')), { force: true })
}

describe('a folder of this machine', () => {
  let root = ''
  beforeAll(() => {
    root = mkdtempSync(join(tmpdir(), 'zest-files-'))
    mkdirSync(join(root, 'site'))
    mkdirSync(join(root, 'elsewhere'))
    symlinkSync(join(root, 'elsewhere'), join(root, 'site', 'way'))
  })
  afterAll(() => rmSync(root, { recursive: true }))
  const folder = (path: string): FilePlace => place({ protocol: 'folder', folder: path })

  test('files are read, written whole and removed', async () => {
    const path = join(root, 'elsewhere')
    await behavesAsFiles(await open(folder(path), undefined, undefined, [path]), path, 'kept')
  })
  test('only folders that are open to sites are opened, wherever a name leads', async () => {
    const roots = [join(root, 'site')]
    for (const path of [root, join(root, 'elsewhere'), join(root, 'site', 'way'), '/etc'])
      expect((await failureOf(open(folder(path), undefined, undefined, roots))).message).toContain('ZEST_SITE_FOLDERS')
    expect((await failureOf(open(folder(join(root, 'nowhere')), undefined, undefined, roots))).message).toContain(
      'no such folder',
    )
    await open(folder(join(root, 'site')), undefined, undefined, roots)
  })
  test('a full disk is said, and the file stays as it was', async () => {
    const path = join(root, 'full')
    mkdirSync(path)
    expect(await saysFullDisk(await open(folder(path), undefined, undefined, [path]), path)).toContain(
      'disk of the server is full',
    )
  })
  test('what is new is as open as the folder it is in, and what is there stays as it is', async () => {
    const path = join(root, 'open')
    mkdirSync(path)
    chmodSync(path, 0o755)
    writeFileSync(join(root, 'own'), 'picture', { mode: 0o600 })
    // As control runs: what it makes is its own user's.
    const mask = process.umask(0o077)
    try {
      const files = await open(folder(path), undefined, undefined, [path])
      await files.write('.htaccess', { bytes: text('# rules'), mode: undefined })
      await files.makeFolder('a/b')
      await files.send(join(root, 'own'), 'a/b/picture')
      const modes = ['.htaccess', 'a', 'a/b', 'a/b/picture'].map((name) => statSync(join(path, name)).mode & 0o777)
      expect(modes).toEqual([0o644, 0o755, 0o755, 0o644])
    } finally {
      process.umask(mask)
    }
  })
  test('a file that is no rules file is left alone', async () => {
    const path = join(root, 'elsewhere')
    writeFileSync(join(path, 'large'), Buffer.alloc(300_000))
    const files = await open(folder(path), undefined, undefined, [path])
    expect((await failureOf(files.read('large'))).message).toContain('larger than 256 kB')
  })
})

describe('a file that takes the place of another', () => {
  const on = (files: Map<string, string>, refuses: (to: string, from: string) => boolean) => ({
    rename: async (from: string, to: string) => {
      const what = files.get(from)
      if (what === undefined || files.has(to) || refuses(to, from)) throw new Error('refused')
      files.delete(from)
      files.set(to, what)
    },
    remove: async (name: string) => void files.delete(name),
  })
  test('where a server does not rename over files, the old one steps aside', async () => {
    const files = new Map(Object.entries({ rules: 'old', 'rules.new': 'new' }))
    await takePlace(
      on(files, () => false),
      'rules.new',
      'rules',
    )
    expect(Object.fromEntries(files)).toEqual({ rules: 'new' })
  })
  test('and comes back when the new one does not arrive', async () => {
    const files = new Map(Object.entries({ rules: 'old', 'rules.new': 'new' }))
    const refusing = on(files, (to, from) => to === 'rules' && from === 'rules.new')
    await expect(takePlace(refusing, 'rules.new', 'rules')).rejects.toThrow('refused')
    expect(Object.fromEntries(files)).toEqual({ rules: 'old', 'rules.new': 'new' })
  })
})

describe.runIf(hasSshd)('over SFTP, with OpenSSH', () => {
  let server: FileServerBench
  let fingerprint: string | null
  beforeAll(async () => {
    server = await startSshd()
    ;({ fingerprint } = await failureOf(open(at(server.port))))
  })
  afterAll(() => server.stop())
  const at = (port: number, more: Partial<FilePlace> = {}): FilePlace =>
    place({ address: `127.0.0.1:${port}`, user: server.user, folder: server.files, ...more })
  const key = (): FileSecret => ({ kind: 'key', key: server.secret, passphrase: '' })

  test('nothing is told to a server whose key nobody has confirmed, nor to another one', async () => {
    const unknown = await failureOf(open(at(server.port), key()))
    expect([unknown.reason, unknown.fingerprint]).toEqual(['unknown-key', fingerprint])
    const other = await failureOf(open(at(server.port, { fingerprint: 'x'.repeat(43) }), key()))
    expect([other.reason, other.message.includes('another key')]).toEqual(['unknown-key', true])
  })
  test('files are read, written whole and removed', async () => {
    const files = await open(at(server.port, { fingerprint }), key())
    await behavesAsFiles(files, server.files, 'kept')
    await files.end()
  })
  test('the file is whole whenever the connection is lost', async () => {
    await survivesBreaks((port) => open(at(port, { fingerprint }), key()), server)
  }, 120_000)
  test('a full disk fails with a sentence, and the file stays as it was', async () => {
    const files = await open(at(server.port, { fingerprint }), key())
    expect(await saysFullDisk(files, server.files)).toMatch(/disk .*may be full/)
    await files.end()
  })
  test('a wrong password, a wrong folder and a private network are said', async () => {
    const wrong = await failureOf(open(at(server.port, { fingerprint }), { kind: 'password', password: 'x' }))
    expect(wrong.message).toContain('does not accept this user and password or key')
    expect((await failureOf(open(at(server.port, { fingerprint, folder: '/nowhere' }), key()))).message).toContain(
      'There is no folder /nowhere',
    )
    expect((await failureOf(open(at(server.port, { fingerprint }), key(), 'refused'))).message).toContain(
      'private network',
    )
    expect((await failureOf(open(at(1, { fingerprint }), key()))).message).toContain('Nothing answers there')
  })
})

describe.runIf(hasFtpd)('over FTPS, with ProFTPD', () => {
  let server: FileServerBench
  let fingerprint: string | null
  beforeAll(async () => {
    server = await startFtpd()
    ;({ fingerprint } = await failureOf(open(at(server.port))))
  })
  afterAll(() => server.stop())
  const at = (port: number, more: Partial<FilePlace> = {}): FilePlace =>
    place({ protocol: 'ftps', address: `127.0.0.1:${port}`, ...more })
  const password = (): FileSecret => ({ kind: 'password', password: server.secret })

  test('nothing is told to a server for which nobody vouches, unless the owner has confirmed its certificate', async () => {
    const unknown = await failureOf(open(at(server.port), password()))
    expect([unknown.reason, unknown.fingerprint]).toEqual(['unknown-key', fingerprint])
    expect((await failureOf(open(at(server.port, { fingerprint: 'x'.repeat(43) }), password()))).reason).toBe(
      'unknown-key',
    )
  })
  test('files are read, written whole and removed', async () => {
    const files = await open(at(server.port, { fingerprint }), password())
    await behavesAsFiles(files, server.files, 'kept')
    await files.end()
  })
  test('the file is whole whenever the connection is lost', async () => {
    await survivesBreaks((port) => open(at(port, { fingerprint }), password()), server)
  }, 120_000)
  test('a full disk fails with a sentence, and the file stays as it was', async () => {
    const files = await open(at(server.port, { fingerprint }), password())
    expect(await saysFullDisk(files, server.files)).toMatch(/disk .*may be full/)
    await files.end()
  })
  test('a wrong password, a wrong folder and a private network are said', async () => {
    const wrong = await failureOf(open(at(server.port, { fingerprint }), { kind: 'password', password: 'x' }))
    expect(wrong.message).toContain('does not accept this user and password')
    expect((await failureOf(open(at(server.port, { fingerprint, folder: 'nowhere' }), password()))).message).toContain(
      'There is no folder nowhere',
    )
    expect((await failureOf(open(at(server.port, { fingerprint }), password(), 'refused'))).message).toContain(
      'private network',
    )
  })
})

describe.runIf(hasDav)('over WebDAV, with Apache', () => {
  let server: FileServerBench
  beforeAll(async () => void (server = await startDav()))
  afterAll(() => server.stop())
  const at = (port: number, more: Partial<FilePlace> = {}): FilePlace =>
    place({ protocol: 'webdav', address: `http://127.0.0.1:${port}/`, ...more })
  const password = (): FileSecret => ({ kind: 'password', password: server.secret })

  test('files are read, written whole and removed', async () => {
    await behavesAsFiles(await open(at(server.port), password()), server.files, 'not-kept')
  })
  test('the file is whole whenever the connection is lost', async () => {
    await survivesBreaks((port) => open(at(port), password()), server)
  }, 120_000)
  test('a wrong password, a wrong folder, an open way and a private network are said', async () => {
    expect((await failureOf(open(at(server.port), { kind: 'password', password: 'x' }))).message).toContain(
      'does not accept this user and password',
    )
    expect((await failureOf(open(at(server.port, { folder: 'nowhere' }), password()))).message).toContain(
      'no such folder',
    )
    expect((await failureOf(open(place({ protocol: 'webdav', address: 'http://files.example/' })))).message).toContain(
      'Others could read your password',
    )
    expect((await failureOf(open(at(server.port), password(), 'refused'))).message).toContain('private network')
  })
})
