import { once } from 'node:events'
import { Duplex } from 'node:stream'
import type { Socket } from 'node:net'
import fc from 'fast-check'
import { expect, test } from 'vitest'
import { FramedMessages } from './framed-messages.ts'

/** A connection whose other end is the test: what is written is kept, and what comes is what the test pushes. */
class MadeUpSocket extends Duplex {
  readonly written: Buffer[] = []
  setNoDelay(): this {
    return this
  }
  override _read(): void {}
  override _write(chunk: Buffer, _encoding: BufferEncoding, done: () => void): void {
    this.written.push(chunk)
    done()
  }
}
const asSocket = (socket: MadeUpSocket): Socket => socket as unknown as Socket

test('messages arrive whole and in order, however the connection cuts them', async () => {
  const message = fc.record({ key: fc.string(), body: fc.uint8Array({ maxLength: 300 }) })
  await fc.assert(
    fc.asyncProperty(
      fc.array(message, { minLength: 1, maxLength: 8 }),
      fc.infiniteStream(fc.integer({ min: 1, max: 50 })),
      async (messages, sizes) => {
        const sender = new MadeUpSocket()
        const sending = new FramedMessages<unknown, unknown>(asSocket(sender), () => undefined)
        for (const one of messages) sending.send({ key: one.key, body: Buffer.from(one.body) })
        const bytes = Buffer.concat(sender.written)
        const receiver = new MadeUpSocket()
        const got: { key: string; body: Buffer }[] = []
        new FramedMessages<unknown, { key: string; body: Buffer }>(asSocket(receiver), (one) => got.push(one))
        for (let at = 0; at < bytes.length;) {
          const size = sizes.next().value
          receiver.push(bytes.subarray(at, at + size))
          at += size
        }
        receiver.push(null)
        await once(receiver, 'end')
        expect(got.map(({ key, body }) => ({ key, body: [...body] }))).toEqual(
          messages.map(({ key, body }) => ({ key, body: [...body] })),
        )
      },
    ),
    { numRuns: 40 },
  )
})

test('bytes that are no message of ours end the connection', async () => {
  const socket = new MadeUpSocket()
  const got: unknown[] = []
  new FramedMessages<unknown, unknown>(asSocket(socket), (one) => got.push(one))
  socket.push(Buffer.from('GET / HTTP/1.1\r\n\r\n'))
  await new Promise((resolve) => socket.once('close', resolve))
  expect(got).toEqual([])
})
