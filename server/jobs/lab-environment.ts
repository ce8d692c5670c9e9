/** What the lab, and the browser it starts, may know of our surroundings: nothing secret is in it. */
const PASSED_ON = [
  'PATH',
  'LANG',
  'TZ',
  'TMPDIR',
  'HOME',
  'NODE_ENV',
  'FONTCONFIG_PATH',
  'ZEST_CHROMIUM',
  'ZEST_PORT',
  'ZEST_LOG_LEVEL',
] as const

export const labEnvironment = (): NodeJS.ProcessEnv =>
  Object.fromEntries(
    PASSED_ON.flatMap((name) => {
      const value = process.env[name]
      return value === undefined ? [] : [[name, value]]
    }),
  )
