import { expect, test } from 'vitest'
import { countedAudience } from './counted-audience.ts'

const at = (name: string) => ({ name, latitude: 1, longitude: 2 })

test('each machine stands for the visitors that are led to it; what home answered for edges is not counted twice', () => {
  const edges = [
    { place: at('Skerry'), requests: 300, passedOn: 100 },
    { place: at('Bank'), requests: 50, passedOn: 50 },
  ]
  expect(countedAudience({ place: at('Home'), requests: 400 }, edges)).toEqual([
    { place: at('Home'), share: 250 },
    { place: at('Skerry'), share: 300 },
    { place: at('Bank'), share: 50 },
  ])
})
test('who stands nowhere that is known, or has answered nobody, says nothing', () => {
  expect(countedAudience({ place: null, requests: 400 }, [{ place: at('Skerry'), requests: 0, passedOn: 0 }])).toEqual(
    [],
  )
  // Counting began at different times: less than nothing is nothing.
  expect(countedAudience({ place: at('Home'), requests: 5 }, [{ place: null, requests: 9, passedOn: 9 }])).toEqual([])
})
