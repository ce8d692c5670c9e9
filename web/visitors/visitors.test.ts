import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { Journey, VisitorProfile } from '../../core/contracts/measuring.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { LINK_PRESETS } from '../../core/sampling/link-presets.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, whatOf } from '../testing/answers.ts'
import { button, choose, chosenIn, field, mounted, press, textOf, type } from '../testing/mounted.ts'
import JourneyRecorder from './JourneyRecorder.vue'
import JourneysPanel from './JourneysPanel.vue'
import PlaceFields from './PlaceFields.vue'
import VisitorFields from './VisitorFields.vue'

afterEach(() => vi.unstubAllGlobals())
const [phone, laptop] = DEFAULT_VISITORS as [VisitorProfile, VisitorProfile]

describe('a visitor', () => {
  const shown = () => {
    const told: VisitorProfile[] = []
    const host = mounted(VisitorFields, {
      modelValue: phone,
      journeys: aSite().journeys,
      first: false,
      'onUpdate:modelValue': (next: VisitorProfile) => told.push(next),
    })
    return { host, told }
  }
  test('with another device gets its screen and speed; name and link stay', async () => {
    const { host, told } = shown()
    await choose(host, 'Device', 'Laptop')
    const { width, height, pixelRatio, cpuSlowdown } = laptop
    expect(told.at(-1)).toEqual({ ...phone, device: 'laptop', width, height, pixelRatio, cpuSlowdown })
  })
  test('on another link keeps device and place', async () => {
    const { host, told } = shown()
    const link = LINK_PRESETS.at(-1)!
    await choose(host, 'Link', link.name)
    const { roundTripMs, downKbps, upKbps, lossPercent } = link
    expect(told.at(-1)).toEqual({ ...phone, roundTripMs, downKbps, upKbps, lossPercent })
  })
  test('with figures that no preset has is said to have its own', () => {
    const host = mounted(VisitorFields, { modelValue: { ...phone, roundTripMs: 71 }, journeys: [], first: true })
    expect(chosenIn(host, 'Link')).toBe('own figures')
    expect(button(host, 'Remove Phone').disabled).toBe(true)
  })
})

describe('a place', () => {
  const shown = (modelValue: object | null) => {
    const told: unknown[] = []
    const host = mounted(PlaceFields, {
      label: 'Place',
      modelValue,
      'onUpdate:modelValue': (next: unknown) => told.push(next),
    })
    return { host, told }
  }
  test('that is not known has no coordinates to fill in', () => {
    expect(shown(null).host.querySelectorAll('input')).toHaveLength(1)
  })
  test('is none again once its name is taken away', async () => {
    const { host, told } = shown({ name: 'Old Pier', latitude: 57, longitude: -4 })
    await type(field(host, 'Place'), '')
    expect(told).toEqual([null])
  })
})

describe('journeys', () => {
  const shown = () => {
    const asked = answering({ 'PUT /sites/quay/journeys': aSite(), 'GET /sites': [aSite()] })
    return { asked, host: mounted(JourneysPanel, { site: aSite() }) }
  }
  test('are written step by step, and saved together', async () => {
    const { asked, host } = shown()
    await press(host, 'Add a step')
    const steps = () => host.querySelectorAll('li')
    await choose(steps()[2]!, 'Step', 'type into')
    await type(field(steps()[2]!, 'CSS selector'), '#name')
    await type(field(steps()[2]!, 'Text'), 'keeper')
    await press(host, 'Remove step 1')
    host.querySelector('form')!.dispatchEvent(new Event('submit'))
    await expect.poll(() => whatOf(asked)).toContain('PUT /sites/quay/journeys')
    expect(asked[0]!.body).toEqual([
      {
        ...aSite().journeys[0],
        steps: [
          { do: 'click', target: 'Add' },
          { do: 'type', target: '#name', text: 'keeper' },
        ],
      },
    ])
  })
  test('a new one has an id of its own and begins with a page', async () => {
    const { asked, host } = shown()
    await press(host, 'Write one')
    host.querySelector('form')!.dispatchEvent(new Event('submit'))
    await expect.poll(() => whatOf(asked)).toContain('PUT /sites/quay/journeys')
    const [first, second] = asked[0]!.body as Journey[]
    expect([second!.steps, second!.id === first!.id]).toEqual([[{ do: 'open', path: '/' }], false])
  })
})

describe('recording a journey', () => {
  const state = (more: object = {}) => ({
    url: 'http://quay.example/',
    jpeg: 'aGk=',
    width: 1200,
    height: 800,
    steps: [{ do: 'open', path: '/' }],
    note: '',
    ...more,
  })
  const begun = async () => {
    const recorded: unknown[] = []
    const asked = answering({
      'POST /sites/quay/recording': state(),
      'POST /sites/quay/recording/acts': state({
        steps: [
          { do: 'open', path: '/' },
          { do: 'click', target: '.buy' },
        ],
      }),
      'DELETE /sites/quay/recording': undefined,
    })
    const host = mounted(JourneyRecorder, { site: aSite(), onRecorded: (steps: unknown) => recorded.push(steps) })
    await press(host, 'Record one …')
    await expect.poll(() => document.querySelector('.recorder form')).not.toBeNull()
    document.querySelector('.recorder form')!.dispatchEvent(new Event('submit'))
    await expect.poll(() => document.querySelector('.recorder img:not(.busy)')).not.toBeNull()
    return { recorded, asked, dialog: document.querySelector('.recorder')! }
  }
  const click = async (dialog: Element, clientX: number, clientY: number) => {
    const picture = dialog.querySelector('img')!
    // The picture is shown at half its size, 10 px from the left and 20 px from the top.
    picture.getBoundingClientRect = () => new DOMRect(10, 20, 600, 400)
    picture.dispatchEvent(new MouseEvent('click', { clientX, clientY }))
    await nextTick()
  }
  test('passes a click on to where it was meant, however large the picture is shown', async () => {
    const { asked, dialog } = await begun()
    await click(dialog, 310, 120)
    await expect.poll(() => asked[1]?.body).toEqual({ do: 'click', x: 600, y: 200 })
  })
  test('waits for what is clicked when that was asked for, once', async () => {
    const { asked, dialog } = await begun()
    await press(dialog, 'Wait for what I click')
    await click(dialog, 10, 20)
    await expect.poll(() => asked[1]?.body).toEqual({ do: 'see', x: 0, y: 0 })
    await expect.poll(() => button(dialog, 'Wait for what I click').getAttribute('aria-pressed')).toBe('false')
  })
  test('hands over its steps and lets the browser of the lab go', async () => {
    const { asked, dialog, recorded } = await begun()
    await click(dialog, 310, 120)
    await expect.poll(() => textOf(dialog)).toContain('click on .buy')
    await press(dialog, 'Use these steps')
    await expect.poll(() => whatOf(asked)).toContain('DELETE /sites/quay/recording')
    expect(recorded).toEqual([
      [
        { do: 'open', path: '/' },
        { do: 'click', target: '.buy' },
      ],
    ])
  })
  test('that is given up hands over nothing, and lets the browser go too', async () => {
    const { asked, dialog, recorded } = await begun()
    await press(dialog, 'Cancel')
    await expect.poll(() => whatOf(asked)).toContain('DELETE /sites/quay/recording')
    expect(recorded).toEqual([])
  })
})
