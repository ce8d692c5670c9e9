import { z } from 'zod'
import { Channel, HostHeader, HostName, PublicAddress, PurgeOrder } from './delivery.ts'
import { PageKnowledge } from './page-changes.ts'
import { Setup } from './setup.ts'

/** What a certificate authority is answered that asks whether a host is the owner's (RFC 8555 §8.3). */
export const ChallengeAnswer = z.object({
  token: z.string().regex(/^[\w-]{1,200}$/),
  answer: z.string().max(500),
})
export type ChallengeAnswer = z.infer<typeof ChallengeAnswer>

/** How an edge asks the delivery that stands next to the origin. */
export const HomeStore = z.object({
  /** Scheme, host and port under which the edge reaches it. */
  base: z.url({ protocol: /^https?$/ }),
  /** What home knows the edge by. */
  edge: z.string(),
  key: z.string().regex(/^[\w-]{16,200}$/),
  /** What visitors get while home does not answer and nothing stored may be used. */
  whenAway: z.enum(['ask-origin', 'fail']).default('ask-origin'),
})
export type HomeStore = z.infer<typeof HomeStore>

/** An edge that may ask here on its visitors' behalf. */
export const KnownEdge = z.object({
  id: z.string(),
  /** SHA-256 of its key, base64url. */
  keyDigest: z.string(),
})
export type KnownEdge = z.infer<typeof KnownEdge>

export const DeliverySite = z.object({
  siteId: z.string(),
  origin: z.object({
    /** Scheme, host and port, without path. */
    base: z.url({ protocol: /^https?$/ }),
    hostHeader: HostHeader,
    /** What the origin is asked as, with the host header "public". */
    publicAddress: PublicAddress.optional(),
    /** By which the origin knows Zest Lamp. Left out: it asks for none. */
    key: z.string().min(16).max(100).optional(),
    timeoutMs: z.int().min(1000).max(600_000),
    /** Whether it may stand in a private network. A configuration kept on disk from before says nothing; control sends a new one at its start. */
    privateAddresses: z.enum(['refused', 'allowed']).default('allowed'),
  }),
  /** Set where this is an edge: the store next to the origin, which is asked instead of it. */
  home: HomeStore.optional(),
  /** The owner's certificate and key, PEM; without it one is made here. */
  tls: z.object({ certificate: z.string(), key: z.string() }).optional(),
  /** Open questions of a certificate authority. A configuration kept on disk from before has none. */
  challenges: z.array(ChallengeAnswer).default([]),
  channels: z.array(
    z.object({
      channel: Channel,
      hosts: z.array(HostName).min(1),
      setup: Setup,
      /** What whoever asks must bring; left out: it stands open. */
      key: z.string().min(16).max(100).optional(),
      /** Keeps what is stored for it apart from other setups of the same channel. */
      apart: z
        .string()
        .regex(/^[\w-]{1,60}$/)
        .optional(),
    }),
  ),
  /** How pages are shown, as far as it was measured. A configuration kept on disk from before has none. */
  knowledge: z.array(PageKnowledge).default([]),
})
export type DeliverySite = z.infer<typeof DeliverySite>

/** Everything delivery needs to serve; sent whole, kept on disk as the last good one. */
export const DeliveryConfig = z.object({
  revision: z.int().min(0),
  sites: z.array(DeliverySite),
  /** Left out where there are none, and in a configuration kept on disk from before. */
  edges: z.array(KnownEdge).optional(),
})
export type DeliveryConfig = z.infer<typeof DeliveryConfig>

/** What delivery says of a purge it has carried out. @property orders what was purged, in orders that mean the same to a store that knows less */
export const PurgeReport = z.object({ purged: z.int().min(0), orders: z.array(PurgeOrder).default([]) })
export type PurgeReport = z.infer<typeof PurgeReport>
