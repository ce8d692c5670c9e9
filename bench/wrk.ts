import { execFile } from 'node:child_process'
import { promisify } from 'node:util'
import { HOST } from './delivery-process.ts'

const TURN_S = 1
const CONNECTIONS = 32

const UNITS: Record<string, number> = { us: 0.001, ms: 1, s: 1000 }

/** A load of one second from a process of its own that costs little: what is left of the processor is the server's. 99th percentile in ms. */
export const load = async (port: number): Promise<{ rps: number; p99: number; requests: number }> => {
  const { stdout } = await promisify(execFile)('wrk', [
    '-t1',
    `-c${CONNECTIONS}`,
    `-d${TURN_S}s`,
    '--latency',
    '-H',
    `Host: ${HOST}`,
    '-H',
    'accept-encoding: br',
    `http://127.0.0.1:${port}/`,
  ])
  const number = (pattern: RegExp): RegExpExecArray => {
    const found = pattern.exec(stdout)
    if (found === null) throw new Error(`wrk said something else: ${stdout}`)
    return found
  }
  if (/Non-2xx|Socket errors/.test(stdout)) throw new Error(`Requests failed: ${stdout}`)
  const p99 = number(/99% +([\d.]+)(us|ms|s)/)
  return {
    rps: Number(number(/Requests\/sec: +([\d.]+)/)[1]),
    requests: Number(number(/(\d+) requests in/)[1]),
    p99: Number(p99[1]) * UNITS[p99[2]!]!,
  }
}
