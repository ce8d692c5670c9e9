import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { nextTick } from 'vue'
import { withBlock } from '../../core/server-rules/marked-block.ts'
import { siteFactsOf } from '../../core/server-rules/rule.ts'
import { chosenRules, rulesText } from '../../core/server-rules/server-rules.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import type { Rehearsal, RulesChoice } from '../../core/contracts/server-rules.ts'
import { rulesFileChecksum } from '../../core/server-rules/rules-file-text.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, whatOf, type Asked } from '../testing/answers.ts'
import { mounted, press, textOf } from '../testing/mounted.ts'
import ServerRulesPanel from './ServerRulesPanel.vue'

const path = `/sites/${aSite().id}`
const NO_CONNECTION: FileConnectionInfo = { place: null, secret: 'none', trial: null, folders: [] }
let asked: Asked[]
const answer = (more: Record<string, unknown> = {}): void => {
  asked = answering({
    [`GET ${path}/server-rules/rehearsals`]: [],
    [`GET ${path}/server-rules/placings`]: [],
    [`GET ${path}/file-connection`]: NO_CONNECTION,
    [`GET ${path}/server-rules/preloads`]: { pages: 0, files: [] },
    [`GET ${path}/findings`]: { looks: [], findings: [], remedies: [], limits: [] },
    ...more,
  })
}
beforeEach(() => answer())
afterEach(() => vi.unstubAllGlobals())

const paste = async (host: HTMLElement, file: string): Promise<void> => {
  const area = host.querySelector('textarea')!
  area.value = file
  area.dispatchEvent(new Event('input'))
  await nextTick()
}
const labelled = (host: HTMLElement, words: string): HTMLInputElement =>
  [...host.querySelectorAll<HTMLInputElement>('input, textarea')].find(({ labels }) =>
    [...(labels ?? [])].some((label) => textOf(label) === words),
  )!
const tick = async (host: HTMLElement, words: string): Promise<void> => {
  labelled(host, words).click()
  await nextTick()
}
const fill = async (host: HTMLElement, words: string, text: string): Promise<void> => {
  const area = labelled(host, words)
  area.value = text
  area.dispatchEvent(new Event('input'))
  await nextTick()
}
const button = (host: HTMLElement, words: string): HTMLButtonElement | undefined =>
  [...host.querySelectorAll('button')].find((one) => one.textContent!.includes(words))

test('each line of each rule says what it does', () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  expect(textOf(host)).toContain('Compression')
  expect(textOf(host)).toContain('FileETag MTime Size')
  expect(textOf(host)).toContain('The entity tag of a file is the same on all servers that hold it')
  expect(textOf(host)).toContain('A new file.')
})
test('a present file is read: older rules are named with their line, and only our block changes', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await paste(host, '# mine\nExpiresDefault "access plus 1 day"\n')
  expect(textOf(host)).toContain('Line 2, browser lifetimes by type: ExpiresDefault')
  expect(textOf(host)).toContain('The block is added at the beginning; every other byte of the file stays.')
  expect(button(host, 'without them')).toBeUndefined()
  await paste(host, withBlock('# mine\n', 'FileETag None').replace('FileETag None', 'FileETag All'))
  expect(textOf(host)).toContain(
    'The block in lines 1 to 3 is replaced; every other byte stays. It has been changed by hand',
  )
  expect(button(host, 'without them')).toBeDefined()
})
test('files that pages need first are paths of this site', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await tick(host, 'Files that pages need first')
  await fill(host, 'Files that every page needs first, one per line', 'style.css')
  expect(textOf(host)).toContain('Give the path of a file of this site, such as /style.css.')
  expect(button(host, 'Copy the rules')!.disabled).toBe(true)
  await fill(host, 'Files that every page needs first, one per line', '/style.css\n/text.woff2\n')
  expect(textOf(host)).toContain('</text.woff2>; rel=preload; as=font; crossorigin')
  expect(button(host, 'Copy the rules')!.disabled).toBe(false)
})
test('files that every measured page needed are proposed, and taken over by one button', async () => {
  answer({
    [`GET ${path}/server-rules/preloads`]: {
      pages: 4,
      files: [
        { path: '/style.css', kind: 'style', bytes: 12_000 },
        { path: '/text.woff2', kind: 'font', bytes: 21_000 },
      ],
    },
  })
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await tick(host, 'Files that pages need first')
  await fill(host, 'Files that every page needs first, one per line', '/text.woff2\n')
  await vi.waitFor(() => expect(textOf(host)).toContain('Each of the 4 pages that were measured needed these files'))
  expect(textOf(host)).toContain('/style.css (12 KB)')
  await press(host, 'Add these files')
  expect(labelled(host, 'Files that every page needs first, one per line').value).toBe('/text.woff2\n/style.css')
  expect(textOf(host)).toContain('H2EarlyHint Link "</style.css>; rel=preload; as=style"')
  expect(textOf(host)).toContain('All files that the measured pages needed first are named.')
})
test('before anything has been measured, what to do is said', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await tick(host, 'Files that pages need first')
  await vi.waitFor(() => expect(textOf(host)).toContain('Measure a few pages, and the files that all of them need'))
})
test('the back door is offered once a secret is sent, and each file has the rules that it can hold', async () => {
  answer({
    [`GET ${path}/server-pages`]: {
      settings: { everyMinutes: null, most: 200 },
      files: 0,
      bytes: 0,
      goodUntil: null,
      last: null,
    },
  })
  const titles = (host: HTMLElement) => [...host.querySelectorAll('fieldset label')].map((one) => textOf(one))
  expect(titles(mounted(ServerRulesPanel, { site: aSite() }))).not.toContain('Only requests through Zest Lamp')
  const host = mounted(ServerRulesPanel, { site: aSite({ originKey: 'a-key_1' }) })
  const select = host.querySelector('select')!
  select.value = 'nginx-site'
  select.dispatchEvent(new Event('change'))
  await nextTick()
  expect(titles(host)).toEqual([
    'Only requests through Zest Lamp',
    'HTTPS and one host name',
    'Stored pages from the disk',
  ])
  await tick(host, 'Only requests through Zest Lamp')
  expect(textOf(host)).toContain('if ($http_zest_origin_key != "a-key_1") { return 403; }')
  await tick(host, 'Stored pages from the disk')
  await vi.waitFor(() => expect(textOf(host)).toContain('No pages are stored there yet'))
})
test('where it is not clear what is ours, nothing is offered', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await paste(host, withBlock('', 'FileETag None').replace('# Zest Lamp: rules end', ''))
  expect(textOf(host)).toContain('one of its two comment lines is missing')
  expect(button(host, 'Save the file')!.disabled).toBe(true)
})

test('the settings of a block that is there are taken over, and what would change in it is shown', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await paste(host, withBlock('', '# Entity tags\nFileETag MTime'))
  const boxes = [...host.querySelectorAll<HTMLInputElement>('input[type=checkbox]')]
  expect(boxes.filter(({ checked }) => checked).length).toBe(1)
  expect(textOf(host)).toContain('What changes in it: lines that go 1, lines that come 1')
  await paste(host, withBlock('', '# Entity tags\nFileETag MTime Size'))
  expect(textOf(host)).toContain('The block in lines 1 to 4 holds these rules already.')
})

const NOSNIFF = 'Header always set X-Content-Type-Options "nosniff"'
const CONNECTED: FileConnectionInfo = {
  place: { protocol: 'sftp', address: 'files.example', user: 'keeper', folder: '/www', fingerprint: null },
  secret: 'encrypted',
  trial: { outcome: 'good', sentence: 'Files can be read, written and removed there.', fingerprint: null },
  folders: [],
}
const job = { id: 'j', siteId: aSite().id, kind: 'rehearsal', title: 'Rehearsal', subjectId: 'r', state: 'queued' }
const queued = {
  ...{ ...job, done: 0, total: 3, now: 'Waiting', msLeft: null, skip: null, error: null },
  ...{ createdAt: '2026-01-05T10:00:00.000Z', finishedAt: null },
}
const rehearsal = (more: Partial<Rehearsal>): Rehearsal => ({
  ...{ id: 'r', jobId: 'j', at: '2026-01-05T10:00:00.000Z', by: 'keeper', state: 'done' },
  choice: { kind: 'apache', wanted: ['security'], host: null, brotli: 'not-there', preloads: [], leftOut: [] },
  ...{ presentChecksum: rulesFileChecksum(''), rules: '', result: null },
  ...more,
})

test('what was ticked and the present file are rehearsed; the line that breaks something can be left out', async () => {
  const breaks: Rehearsal = rehearsal({
    result: {
      ...{ outcome: 'breaks', sentence: 'Browsers refuse the script /gallery.box.', version: 'Apache/2.4.1' },
      ...{ notUsed: [], unlike: [], addresses: [] },
      culprits: [{ rule: 'security', line: 7, text: NOSNIFF, sentence: 'Browsers refuse the script /gallery.box.' }],
    },
  })
  answer({
    [`GET ${path}/server-rules/rehearsals`]: [breaks],
    [`POST ${path}/server-rules/rehearsals`]: () => Response.json(queued, { status: 202 }),
  })
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await vi.waitFor(() => expect(textOf(host)).toContain('Line 7, security headers that cost nothing:'))
  expect(textOf(host)).toContain('The rules or the present file have changed since this rehearsal.')
  await press(host, 'Leave it out')
  await paste(host, '# mine\n')
  await press(host, 'Rehearse these rules')
  await vi.waitFor(() => expect(whatOf(asked)).toContain(`POST ${path}/server-rules/rehearsals`))
  expect(asked.find(({ what }) => what === `POST ${path}/server-rules/rehearsals`)!.body).toMatchObject({
    present: '# mine\n',
    choice: { kind: 'apache', leftOut: [NOSNIFF] },
  })
})

test('a web server that is not there is fetched only when the owner says so', async () => {
  const missing: Rehearsal = rehearsal({
    result: {
      ...{ outcome: 'no-server', sentence: 'Apache is not on this machine.', version: null },
      ...{ notUsed: [], unlike: [], addresses: [], culprits: [] },
    },
  })
  answer({
    [`GET ${path}/server-rules/rehearsals`]: [missing],
    [`POST ${path}/server-rules/rehearsals`]: () => Response.json(queued, { status: 202 }),
  })
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await vi.waitFor(() => expect(textOf(host)).toContain('Not rehearsed. Apache is not on this machine.'))
  await press(host, 'Rehearse these rules')
  await vi.waitFor(() => expect(asked.at(-1)?.body).toMatchObject({ fetching: 'not-allowed' }))
  await press(host, 'Fetch it and rehearse')
  await vi.waitFor(() => expect(asked.at(-1)?.body).toMatchObject({ fetching: 'allowed' }))
})

test('rules are put on the server once they are rehearsed as they stand there, over a connection that works', async () => {
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await vi.waitFor(() => expect(whatOf(asked)).toContain(`GET ${path}/file-connection`))
  expect(button(host, 'Put these rules there')!.disabled).toBe(true)
  // The rules as this panel would write them.
  answer({ [`POST ${path}/server-rules/rehearsals`]: () => Response.json(queued, { status: 202 }) })
  const choice: RulesChoice = {
    ...{ kind: 'apache', host: null, brotli: 'not-there', preloads: [], leftOut: [] },
    wanted: ['compression', 'lifetimes', 'fingerprinted', 'validators', 'security'],
  }
  const good = rehearsal({
    choice,
    rules: rulesText(chosenRules(choice, Setup.parse({}), siteFactsOf(aSite()))),
    result: {
      ...{ outcome: 'good', sentence: 'Nothing breaks: 3 addresses.', version: 'Apache/2.4.1', notUsed: [] },
      ...{ unlike: [], addresses: [], culprits: [] },
    },
  })
  answer({
    [`GET ${path}/server-rules/rehearsals`]: [good],
    [`GET ${path}/file-connection`]: CONNECTED,
    [`POST ${path}/server-rules/placings`]: () => Response.json({ ...queued, kind: 'rules-placing' }, { status: 202 }),
    [`GET ${path}/server-rules/file?name=.htaccess`]: { text: '# from there\n' },
  })
  const ready = mounted(ServerRulesPanel, { site: aSite() })
  await vi.waitFor(() => expect(button(ready, 'Put these rules there')!.disabled).toBe(false))
  await press(ready, 'Read the present file')
  await vi.waitFor(() => expect(ready.querySelector('textarea')!.value).toBe('# from there\n'))
  // Another file than the one that was rehearsed.
  expect(button(ready, 'Put these rules there')!.disabled).toBe(true)
  await paste(ready, '')
  await press(ready, 'Put these rules there')
  await vi.waitFor(() => expect(whatOf(asked)).toContain(`POST ${path}/server-rules/placings`))
  expect(asked.find(({ what }) => what === `POST ${path}/server-rules/placings`)!.body).toEqual({
    action: 'put',
    rehearsalId: 'r',
    file: '.htaccess',
  })
})

test('a server whose key nobody has confirmed is shown by its fingerprint, and is kept once it is confirmed', async () => {
  const unknown: FileConnectionInfo = {
    ...CONNECTED,
    trial: { outcome: 'unknown-key', sentence: 'A key that nobody has confirmed.', fingerprint: 'f'.repeat(43) },
  }
  answer({
    [`GET ${path}/file-connection`]: unknown,
    [`PUT ${path}/file-connection`]: CONNECTED,
    [`POST ${path}/file-connection/trials`]: CONNECTED,
  })
  const host = mounted(ServerRulesPanel, { site: aSite() })
  await vi.waitFor(() => expect(textOf(host)).toContain('f'.repeat(43)))
  await press(host, 'It is the right one: connect')
  await vi.waitFor(() => expect(textOf(host)).toContain('Files can be read, written and removed there.'))
  const sent = asked.find(({ what }) => what === `PUT ${path}/file-connection`)!.body
  expect(sent).toMatchObject({ place: { fingerprint: 'f'.repeat(43) }, secret: null, keep: 'encrypted' })
})
