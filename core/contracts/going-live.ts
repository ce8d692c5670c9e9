import { z } from 'zod'

export const DnsRecord = z.object({
  name: z.string().describe('Whole name, with its dot at the end'),
  ttl: z.int().min(0).describe('Seconds'),
  type: z.string(),
  data: z.string().describe('As it stands in a zone file'),
})
export type DnsRecord = z.infer<typeof DnsRecord>

/** Where a host is to lead to. */
export const DnsTarget = z.strictObject({
  addresses: z
    .array(z.union([z.ipv4(), z.ipv6()], { error: 'Give addresses such as 192.0.2.1 or 2001:db8::1.' }))
    .max(20)
    .default([])
    .describe('Addresses of the machine on which Zest Lamp runs'),
  alias: z
    .string()
    .trim()
    .regex(/^(?:[a-z0-9-]{1,63}\.)+[a-z0-9-]{2,63}\.?$/i, 'Give a host name, such as edge.example.')
    .nullable()
    .default(null)
    .describe('A host name that stands for these addresses; null: there is none'),
})
export type DnsTarget = z.infer<typeof DnsTarget>

/** What the DNS of a site has to say from now on. */
export const DnsPlanOrder = DnsTarget.extend({
  zoneFile: z
    .string()
    .max(900_000)
    .nullable()
    .default(null)
    .describe('The zone as a file (RFC 1035); null: the name servers are asked'),
  zone: z.string().trim().max(253).nullable().default(null).describe('Name of the zone; null: as the name servers say'),
  moreNames: z
    .array(z.string().trim().max(253))
    .max(100)
    .default([])
    .describe('Names to ask for beside the usual ones'),
}).refine(({ addresses, alias }) => addresses.length > 0 || alias !== null, {
  error: 'Give an address of the machine on which Zest Lamp runs, or a host name that stands for it.',
  path: ['addresses'],
})
export type DnsPlanOrder = z.infer<typeof DnsPlanOrder>

/** One line that changes. */
export const DnsChange = z.object({ what: z.enum(['add', 'remove']), record: DnsRecord })
export type DnsChange = z.infer<typeof DnsChange>

export const DnsPlan = z.object({
  zone: z.string(),
  records: z.array(DnsRecord).describe('As they are now, as far as they are known'),
  isWhole: z.boolean().describe('Whether they come from a file; name servers tell only what they are asked for'),
  problems: z.array(z.string()).describe('What could not be read, or got no answer'),
  lowerFirst: z.array(DnsRecord).describe('Records that change and whose time to live is long: it is lowered first'),
  waitS: z.int().min(0).describe('How long to wait after that, seconds'),
  changes: z.array(DnsChange),
  notes: z.array(z.string()).describe('What else to see to'),
  zoneFile: z.string().describe('The zone afterwards, with a higher serial number'),
  zoneFileBefore: z.string().describe('The way back: the zone as it was, with a still higher serial number'),
})
export type DnsPlan = z.infer<typeof DnsPlan>

/** What one resolver says of a host. */
export const DnsAnswer = z.object({
  resolver: z.string(),
  addresses: z.array(z.string()),
  ttl: z.int().nullable().describe('Seconds until it asks again; null: it has no answer'),
  state: z.enum(['new', 'old', 'both', 'none', 'silent']),
})
export type DnsAnswer = z.infer<typeof DnsAnswer>

/** Name servers that a domain is to change to. */
export const NameServerOrder = z.strictObject({
  servers: z
    .array(
      z
        .string()
        .trim()
        .regex(/^[\w.:[\]-]{3,260}$/, 'Give name servers such as ns1.example or 192.0.2.53.'),
    )
    .min(1, 'Name a server of the new ones.')
    .max(8),
  moreNames: z
    .array(z.string().trim().max(253))
    .max(100)
    .default([])
    .describe('Names to ask for beside the usual ones'),
})
export type NameServerOrder = z.infer<typeof NameServerOrder>

/** What the new name servers say, beside what the present ones say. */
export const NameServerComparison = z.object({
  zone: z.string(),
  missing: z.array(DnsRecord).describe('The new ones do not have these'),
  different: z.array(z.object({ was: z.array(DnsRecord), is: z.array(DnsRecord) })),
  extra: z.array(DnsRecord).describe('Only the new ones have these'),
  same: z.int().describe('Names and types that both say the same of'),
  problems: z.array(z.string()),
})
export type NameServerComparison = z.infer<typeof NameServerComparison>
