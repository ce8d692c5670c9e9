import { createServer, type Server } from 'node:http'
import { deliver } from './deliver.ts'
import type { DeliveryIo } from './exchange.ts'

/** Common practice: no browser sends more, and larger ones are attacks or runaway cookies. */
const LARGEST_HEADER = 32 * 1024

/** The public HTTP/1.1 listener. Limits keep slow and oversized requests from taking the process down. */
export const createListener = (io: DeliveryIo): Server =>
  createServer(
    { maxHeaderSize: LARGEST_HEADER, headersTimeout: 20_000, requestTimeout: 0, keepAliveTimeout: 75_000 },
    (req, res) => void deliver(req, res, io),
  )
