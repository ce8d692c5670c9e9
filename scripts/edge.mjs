// npm run edge: delivery on this machine as an edge of a control elsewhere. Data in ZEST_DATA_DIR (default ./data).
import { parseArgs } from 'node:util'
import { ensureProduct } from './ensure.mjs'
import { basePort, Supervisor, waitFor } from './supervise.mjs'

const HOW = 'npm run edge -- --join https://control.example:8400 --token TOKEN'
const readArguments = () => {
  try {
    return parseArgs({ options: { join: { type: 'string' }, token: { type: 'string' } } }).values
  } catch (error) {
    console.error(`${error.message}\nGive: ${HOW}`)
    return process.exit(64)
  }
}
const { join, token } = readArguments()
if ((join === undefined) !== (token === undefined) || (join !== undefined && !URL.canParse(join))) {
  console.error(`Give the address of control and the token together: ${HOW}`)
  process.exit(64)
}
await ensureProduct()
const { buildServer } = await import('./build.mjs')
await buildServer()
const supervisor = new Supervisor(join === undefined ? {} : { ZEST_JOIN: join, ZEST_JOIN_TOKEN: token })
supervisor.startAll(['delivery', 'edge'])
await waitFor(`http://127.0.0.1:${basePort() + 10}/`)
console.log(`ready as an edge, on port ${basePort() + 10}`)
