import type { GoingLiveStep } from '../contracts/going-live-steps.ts'
import { ORIGIN_KEY_FIELD } from '../http/origin-key.ts'
import { step } from './steps.ts'

/** What an origin did when it was asked. */
export type DoorAnswer =
  { readonly kind: 'answered' } | { readonly kind: 'refused'; readonly status: number } | { readonly kind: 'silent' }

/** What is known of an origin that ought to answer Zest Lamp only. */
export interface Door {
  readonly address: string
  /** Asked as anybody asks. */
  readonly asAnybody: DoorAnswer
  /** Asked with the key; undefined: none is sent. */
  readonly withKey: DoorAnswer | undefined
  /** Whether search engines that find it list the site under two addresses. */
  readonly twoAddresses: boolean
}

const withKeyStep = ({ address, asAnybody, withKey }: Door, evidence: string[]): GoingLiveStep | undefined => {
  if (withKey === undefined || asAnybody.kind === 'silent') return undefined
  if (asAnybody.kind === 'answered')
    return step(
      'back-door',
      'open',
      `Zest Lamp sends the secret field, but ${address} answers without it too. Put the rules into your web server.`,
      evidence,
    )
  if (withKey.kind === 'refused')
    return step(
      'back-door',
      'problem',
      `Your server refuses Zest Lamp too, with status ${withKey.status}. Compare the key in its rules with the one shown here.`,
      evidence,
    )
  return step(
    'back-door',
    'done',
    `Your server answers only requests that bring the secret field; others get status ${asAnybody.status}.`,
    evidence,
  )
}

/** Whether the origin still serves the site to anybody who knows its address. */
export const backDoorStep = (closedByHand: boolean, door: Door): GoingLiveStep => {
  const evidence = door.twoAddresses
    ? [
        `${door.address} serves the same pages without a canonical link to the live address: search engines may list both.`,
      ]
    : []
  const byKey = withKeyStep(door, evidence)
  if (byKey !== undefined && (byKey.state !== 'open' || !closedByHand)) return byKey
  if (closedByHand)
    return step(
      'back-door',
      evidence.length > 0 ? 'open' : 'done',
      'You have said that your server answers only Zest Lamp.',
      evidence,
    )
  if (door.asAnybody.kind !== 'answered')
    return step('back-door', 'open', 'Your server did not answer just now, so nothing can be said. Check again.')
  return step(
    'back-door',
    'open',
    `Anyone who knows ${door.address} can bypass Zest Lamp. Allow only these addresses there, or ask for a secret field.`,
    evidence,
  )
}

/** Rules for a web server, by its name. */
export interface DoorRules {
  readonly nginx: string
  readonly apache: string
}

/** Rules that let a web server answer a few addresses only. */
export const addressRules = (addresses: readonly string[]): DoorRules => ({
  nginx: [...addresses.map((address) => `allow ${address};`), 'allow 127.0.0.1;', 'deny all;'].join('\n'),
  apache: [
    '<RequireAny>',
    ...addresses.map((address) => `  Require ip ${address}`),
    '  Require local',
    '</RequireAny>',
  ].join('\n'),
})

/** Rules that let a web server answer only requests that bring a key. @param key of letters, digits, "-" and "_" */
export const keyRules = (key: string): DoorRules => ({
  nginx: `if ($http_${ORIGIN_KEY_FIELD.replaceAll('-', '_')} != "${key}") {\n  return 403;\n}`,
  apache: `Require expr "%{HTTP:${ORIGIN_KEY_FIELD}} == '${key}'"`,
})
