/** Destinations of the Fetch standard by extension; what is none of these is left to the browser. */
const DESTINATIONS: readonly (readonly [RegExp, string])[] = [
  [/\.css$/i, 'as=style'],
  [/\.m?js$/i, 'as=script'],
  // Fonts are always fetched without credentials (CSS Fonts 4, §4.9), and so they must be here, or they are loaded twice.
  [/\.(?:woff2?|ttf|otf)$/i, 'as=font; crossorigin'],
  [/\.(?:avif|webp|jpe?g|png|gif|svg)$/i, 'as=image'],
]

/** What a file is loaded as; undefined: its name does not say. */
export const preloadDestination = (path: string): string | undefined => {
  const [name = ''] = path.split('?', 1)
  return DESTINATIONS.find(([pattern]) => pattern.test(name))?.[1]
}

/** A Link field that has browsers load a file early (RFC 8288; HTML, link type "preload"). @param path of a file of the same site */
export const preloadLink = (path: string): string =>
  `<${path}>; rel=preload; ${preloadDestination(path) ?? 'as=fetch; crossorigin'}`
