import type { Place } from '../contracts/measuring.ts'

/** IUGG mean radius of the Earth, km. */
const EARTH_KM = 6371.0088
/** Light in fibre covers about 200 km a ms (refractive index about 1.47), so 100 km of path take 1 ms there and back. */
const ROUND_TRIP_MS_PER_KM = 1 / 100
/** Cables do not follow the great circle: paths are 1.5 to 2 times as long (common practice); the middle is taken. */
export const PATH_STRETCH = 1.75

const radians = (degrees: number): number => (degrees * Math.PI) / 180

/** Great-circle distance by the haversine formula, km. */
export const greatCircleKm = (
  a: Pick<Place, 'latitude' | 'longitude'>,
  b: Pick<Place, 'latitude' | 'longitude'>,
): number => {
  const [from, to] = [radians(a.latitude), radians(b.latitude)]
  const half =
    Math.sin((to - from) / 2) ** 2 +
    Math.cos(from) * Math.cos(to) * Math.sin(radians(b.longitude - a.longitude) / 2) ** 2
  return 2 * EARTH_KM * Math.asin(Math.min(1, Math.sqrt(half)))
}

/** What the distance adds to a round trip, ms; 0 while one of the places is not known. */
export const distanceMs = (from: Place | null, to: Place | null): number =>
  from === null || to === null ? 0 : greatCircleKm(from, to) * PATH_STRETCH * ROUND_TRIP_MS_PER_KM
