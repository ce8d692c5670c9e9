import { z } from 'zod'

/** How files of a site are reached. */
export const FileProtocol = z.enum(['sftp', 'ftps', 'webdav', 'folder'])
export type FileProtocol = z.infer<typeof FileProtocol>

/** A certificate or host key by its SHA-256 digest, base64url without padding. */
const Fingerprint = z
  .string()
  .regex(/^[\w-]{43}$/, 'A fingerprint has 43 letters, digits, “-” and “_”.')
  .nullable()

/** Where the files of a site are. */
export const FilePlace = z
  .strictObject({
    protocol: FileProtocol,
    address: z
      .string()
      .trim()
      .max(500)
      .default('')
      .describe('Host name and perhaps port; with WebDAV a whole address; with a folder nothing'),
    user: z.string().trim().max(200).default(''),
    folder: z
      .string()
      .trim()
      .max(500)
      .regex(/^[^\0\r\n]*$/, 'A folder has no line breaks.')
      .default('')
      .describe('Folder of the site there, where its rules file is'),
    fingerprint: Fingerprint.default(null).describe('Host key or certificate that the owner has confirmed'),
  })
  .refine(({ protocol, address }) => protocol === 'folder' || address !== '', {
    error: 'Give the address of the file server.',
    path: ['address'],
  })
  .refine(({ protocol, address }) => protocol !== 'webdav' || /^https?:\/\/\S+$/i.test(address), {
    error: 'Give the whole address, such as https://files.example/site/.',
    path: ['address'],
  })
  .refine(
    ({ protocol, address }) =>
      protocol === 'webdav' || /^[\w.-]*(?::\d{1,5})?$|^\[[\da-f:]+\](?::\d{1,5})?$/i.test(address),
    {
      error: 'Give a host name, and a port behind a colon where it is not the usual one.',
      path: ['address'],
    },
  )
  .refine(({ protocol, folder }) => protocol !== 'folder' || folder.startsWith('/'), {
    error: 'Give the whole path of the folder on this machine, beginning with “/”.',
    path: ['folder'],
  })
export type FilePlace = z.infer<typeof FilePlace>

/** By what the file server knows the owner. */
export const FileSecret = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('none') }),
  z.strictObject({ kind: z.literal('password'), password: z.string().max(1000) }),
  z.strictObject({
    kind: z.literal('key'),
    key: z.string().max(20_000).describe('Private key in the form of OpenSSH or PEM'),
    passphrase: z.string().max(1000).default(''),
  }),
])
export type FileSecret = z.infer<typeof FileSecret>

/** A file connection as the owner gives it. */
export const FileConnectionDraft = z.strictObject({
  place: FilePlace,
  secret: FileSecret.nullable().default(null).describe('Null: as before'),
  keep: z.enum(['encrypted', 'not-kept']).default('encrypted').describe('Not kept: in memory until the next restart'),
})
export type FileConnectionDraft = z.infer<typeof FileConnectionDraft>

/** What came of trying a file connection. */
export const FileTrial = z.object({
  outcome: z.enum(['good', 'unknown-key', 'failed']),
  sentence: z.string(),
  fingerprint: z.string().nullable().describe('Of the key or certificate that the server showed'),
})
export type FileTrial = z.infer<typeof FileTrial>

export const FileConnectionInfo = z.object({
  place: FilePlace.nullable(),
  secret: z.enum(['none', 'encrypted', 'in-memory', 'missing']),
  trial: FileTrial.nullable(),
  folders: z.array(z.string()).describe('Folders of this machine that whoever runs it has opened for sites'),
})
export type FileConnectionInfo = z.infer<typeof FileConnectionInfo>
