import type { EvidenceItem } from '../contracts/findings.ts'
import type { RemedyId, Setup } from '../contracts/setup.ts'
import { fieldValue } from '../http/fields.ts'
import { isFingerprinted } from '../http/fingerprint.ts'
import type { WhatIf } from '../model/what-if.ts'
import { fileMatcher } from '../page/context/exceptions.ts'
import { filesOf, imageOf, type AuditedPage, type AuditedFile } from './audited-page.ts'
import { documentOf } from '../model/recording.ts'

/** What one look at one page says about a remedy: the files concerned, and the change to predict. */
export interface LookEvidence {
  readonly items: readonly EvidenceItem[]
  /** Empty: nothing that the load model can tell (return visits, the server's load). */
  readonly changes: readonly WhatIf[]
}

/** Shares that are left of files, by what is done to them. All common practice; the list of changes has the real figures. */
const LEFT_OF = {
  compressed: 0.27,
  minifiedScript: { plain: 0.6, compressed: 0.75 },
  minifiedStyle: { plain: 0.8, compressed: 0.92 },
  /** A modern form at the same size. */
  modernPicture: 0.55,
  cutFont: 0.4,
} as const
/** Smaller ones are not worth a line. */
const LEAST_SAVED = 200
/** Rules of an initial viewport commonly take so much, bytes (common practice). */
const CRITICAL_BYTES = 4000

/** Share of the HTML behind which what is named at the end of a page stands; the browser still sees it early. */
const END_OF_PAGE = 0.98

const item = (file: AuditedFile, left: number, note: string): EvidenceItem => ({
  item: file.item,
  bytes: file.request.sentBytes,
  savedBytes: Math.max(0, Math.round(file.request.sentBytes - left)),
  note,
})

/** Files that get smaller: evidence and change in one. */
const smaller = (
  files: readonly AuditedFile[],
  left: (file: AuditedFile) => number,
  note: (file: AuditedFile) => string,
): LookEvidence => {
  const worth = files
    .map((file) => ({ file, left: Math.ceil(left(file)) }))
    .filter(({ file, left: bytes }) => file.request.sentBytes - bytes >= LEAST_SAVED)
  return {
    items: worth.map(({ file, left: bytes }) => item(file, bytes, note(file))),
    changes:
      worth.length === 0
        ? []
        : [{ kind: 'sized', sizes: new Map(worth.map(({ file, left: bytes }) => [file.id, bytes])) }],
  }
}

const whole = (
  files: readonly AuditedFile[],
  note: string,
  changes: readonly WhatIf[],
  saved = false,
): LookEvidence => ({
  items: files.map((file) => item(file, saved ? 0 : file.request.sentBytes, note)),
  changes: files.length === 0 ? [] : changes,
})

const ids = (files: readonly AuditedFile[]): number[] => files.map(({ id }) => id)
const ofType = (files: readonly AuditedFile[], ...types: string[]): AuditedFile[] =>
  files.filter(({ request }) => types.includes(request.type))
const seconds = (ms: number): string => `${(ms / 1000).toFixed(1)} s`

/** Bytes of a picture as large as its place on the screen, in a modern form. */
const fittingBytes = (look: AuditedPage, file: AuditedFile): number => {
  const shown = imageOf(look, file)
  const { sentBytes } = file.request
  const isModern = /image\/(avif|webp|svg)/.test(fieldValue(file.fields, 'content-type') ?? '')
  if (shown === undefined || shown.shownWidth === 0) return sentBytes * (isModern ? 1 : LEFT_OF.modernPicture)
  const needed = (shown.shownWidth * Math.min(look.visitor.pixelRatio, 3)) / shown.naturalWidth
  return sentBytes * Math.min(1, needed ** 2 * 1.3) * (isModern ? 1 : LEFT_OF.modernPicture)
}

/** The main picture as part of a page for phones, where it is small enough for that: the page grows by it, and nothing is asked for. */
const mainInPage = (look: AuditedPage, files: readonly AuditedFile[], { remedies }: Setup): LookEvidence => {
  const { hints, images } = remedies
  const [page] = files
  const main = files.find(({ id, request }) => id > 0 && request.url === look.metrics.lcpUrl)
  const none: LookEvidence = { items: [], changes: [] }
  if (page === undefined || main?.own !== true || look.visitor.device !== 'phone') return none
  // Browsers choose it among several widths; without those it cannot be one of them.
  if (!images.enabled || !images.sizes || !images.avif) return none
  const isAvif = /image\/avif/.test(fieldValue(main.fields, 'content-type') ?? '')
  const bytes = Math.ceil(isAvif ? main.request.decodedBytes : fittingBytes(look, main))
  if (bytes > hints.mainInPageKb * 1000) return none
  // RFC 4648 §4: four characters for three bytes; compression finds the six bits in each character again.
  const grown = page.request.sentBytes + Math.ceil(page.compressed ? bytes : (bytes * 4) / 3)
  return {
    items: [item(main, 0, 'the main picture, small enough to be sent inside the page')],
    changes: [
      { kind: 'sized', sizes: new Map([[0, grown]]) },
      { kind: 'without', ids: [main.id] },
    ],
  }
}

const unusedShare = ({ details }: AuditedPage, { request }: AuditedFile): number => {
  const found = details.unused.find(({ url, inline }) => url === request.url && !inline)
  return found === undefined || found.totalBytes === 0 ? 0 : found.unusedBytes / found.totalBytes
}

/** Documents of frames that hold a video, and what they bring. */
const videoFiles = (look: AuditedPage, files: readonly AuditedFile[], { remedies }: Setup): AuditedFile[] => {
  const isVideo = fileMatcher(remedies.stillVideo.frames)
  const frames = files.filter(
    ({ id, request }) => id > 0 && request.type === 'document' && isVideo(new URL(request.url)),
  )
  const hosts = new Set(frames.map(({ request }) => request.url))
  return files.filter((file) => frames.includes(file) || hosts.has(file.request.initiator?.url ?? ''))
}

/** Evidence by remedy; a remedy that is on already is judged as if it were off, by what is still there. */
const EVIDENCE: Record<RemedyId, (look: AuditedPage, files: AuditedFile[], setup: Setup) => LookEvidence> = {
  pageCache: (look, files) => {
    const [page] = files
    const { serverMs } = documentOf(look.recording)
    return page === undefined || serverMs < 50
      ? { items: [], changes: [] }
      : whole([page], `built by your server (origin) in ${seconds(serverMs)}`, [{ kind: 'stored', ids: [0] }])
  },
  compression: (_look, files) =>
    smaller(
      files.filter(({ compressible, compressed, request }) => compressible && !compressed && request.sentBytes > 1000),
      ({ request }) => request.sentBytes * LEFT_OF.compressed,
      () => 'sent uncompressed',
    ),
  browserCache: (_look, files) =>
    whole(
      files.filter(
        ({ id, fields, own }) =>
          id > 0 && own && !/max-age|no-store|private/.test(fieldValue(fields, 'cache-control') ?? ''),
      ),
      'has no lifetime: requested again on the next visit',
      [],
    ),
  minify: (_look, files) =>
    smaller(
      ofType(files, 'script', 'style').filter(({ path, own }) => own && !/[.-]min\.|\.z[0-9a-f]{19}\./.test(path)),
      ({ request, compressed }) =>
        request.sentBytes *
        LEFT_OF[request.type === 'script' ? 'minifiedScript' : 'minifiedStyle'][compressed ? 'compressed' : 'plain'],
      () => 'typical saving',
    ),
  images: (look, files) =>
    smaller(
      ofType(files, 'image').filter(({ own }) => own),
      (file) => fittingBytes(look, file),
      (file) => {
        const shown = imageOf(look, file)
        if (shown === undefined) return 'in an older form'
        const pixels = Math.round(shown.shownWidth * look.visitor.pixelRatio)
        return `${shown.naturalWidth} pixels wide, ${pixels === 0 ? 'not shown at first' : `shown in ${pixels}`}`
      },
    ),
  lazy: (look, files) => {
    const below = files.filter((file) => {
      const shown = imageOf(look, file)
      return shown !== undefined && !shown.inFirstView && !shown.lazy && file.request.url !== look.metrics.lcpUrl
    })
    return whole(below, 'not seen before scrolling', [{ kind: 'without', ids: ids(below) }], true)
  },
  scriptOrder: (look, files, { remedies }) => {
    const blocking = ofType(files, 'script').filter(({ id }) => look.recording.resources[id]?.blocks !== 'nothing')
    // Moved to the end as they are, they are asked for as early as before.
    const late = remedies.scriptOrder.manner === 'late' ? { offset: END_OF_PAGE } : {}
    return whole(blocking, 'the page waits for it', [{ kind: 'deferred', ids: ids(blocking), ...late }])
  },
  hints: (look, files, setup) => {
    const inPage = mainInPage(look, files, setup)
    const main = files.filter(({ request }) => request.url === look.metrics.lcpUrl)
    const waiting = look.details.fonts.filter(({ blockedMs }) => blockedMs > 0)
    const fonts = files.filter(({ request }) => waiting.some(({ url }) => url === request.url))
    const late = inPage.items.length > 0 ? [] : main.filter(({ request }) => request.priority !== 'high')
    const changes: WhatIf[] = [
      ...inPage.changes,
      ...(late.length > 0 ? [{ kind: 'early', ids: ids(late) } as const] : []),
      ...(fonts.length > 0 ? [{ kind: 'unhidden' } as const] : []),
    ]
    return {
      items: [
        ...inPage.items,
        ...late.map((file) =>
          item(file, file.request.sentBytes, `the main picture, requested after ${seconds(file.request.startMs)}`),
        ),
        ...fonts.map((file) =>
          item(
            file,
            file.request.sentBytes,
            `hides text for ${seconds(waiting.find(({ url }) => url === file.request.url)!.blockedMs)}`,
          ),
        ),
      ],
      changes,
    }
  },
  criticalStyles: (look, files) => {
    const blocking = ofType(files, 'style').filter(({ id }) => look.recording.resources[id]?.blocks === 'rendering')
    const page = documentOf(look.recording).sentBytes
    return whole(blocking, 'nothing shows before it has come', [
      { kind: 'deferred', ids: ids(blocking), offset: END_OF_PAGE },
      { kind: 'sized', sizes: new Map([[0, page + CRITICAL_BYTES]]) },
    ])
  },
  unusedStyles: (look, files) =>
    smaller(
      ofType(files, 'style').filter((file) => file.own && unusedShare(look, file) > 0.2),
      (file) => file.request.sentBytes * (1 - unusedShare(look, file)),
      (file) => `${Math.round(unusedShare(look, file) * 100)}% of it unused here`,
    ),
  stillVideo: (look, files, setup) => {
    const video = videoFiles(look, files, setup)
    return whole(video, 'loads before anybody plays', [{ kind: 'without', ids: ids(video) }], true)
  },
  fonts: (_look, files) =>
    smaller(
      ofType(files, 'font').filter(({ own }) => own),
      ({ request }) => request.sentBytes * LEFT_OF.cutFont,
      () => 'with all its characters',
    ),
  fingerprint: (_look, files) =>
    whole(
      files.filter(
        ({ id, own, path, request }) =>
          id > 0 && own && !isFingerprinted(new URL(request.url).pathname) && /\.\w+$/.test(path),
      ),
      'keeps its name when its content changes',
      [],
    ),
  unusedScripts: ({ details }, files) => {
    const uses = new Map((details.scripts ?? []).map(({ url, use }) => [url, use]))
    const unused = ofType(files, 'script').filter(({ own, request }) => own && uses.get(request.url) === 'unused')
    return whole(unused, 'nothing of it was used', [{ kind: 'without', ids: ids(unused) }], true)
  },
  localCopies: (look, files) => {
    const others = ofType(files, 'script').filter(
      ({ own, request }) =>
        !own && request.initiator?.kind === 'parser' && request.initiator.url === files[0]?.request.url,
    )
    const { hostname } = documentOf(look.recording)
    return whole(others, 'comes from another host', [{ kind: 'elsewhere', ids: ids(others), hostname }])
  },
  combine: (look, files) => {
    const many = ofType(files, 'script', 'style').filter(
      ({ own, id }) => own && look.recording.resources[id]?.multiplexed === false,
    )
    return many.length < 3 ? { items: [], changes: [] } : whole(many, 'one of many over HTTP/1.1', [])
  },
  polling: () => ({ items: [], changes: [] }),
  // What it gains shows on the next page of a visit, not on the one that was looked at.
  prefetch: () => ({ items: [], changes: [] }),
  // What it is worth depends on where visitors and CDN are, which one load does not say.
  filesCdn: () => ({ items: [], changes: [] }),
}

export const evidenceFor = (remedy: RemedyId, look: AuditedPage, setup: Setup): LookEvidence =>
  EVIDENCE[remedy](look, filesOf(look), setup)
