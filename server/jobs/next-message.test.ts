import { EventEmitter } from 'node:events'
import type { ChildProcess } from 'node:child_process'
import { describe, expect, it } from 'vitest'
import { nextMessage } from './next-message.ts'

const process = () => new EventEmitter() as ChildProcess

describe('the next message of a process', () => {
  it('is what the process sends first', async () => {
    const child = process()
    const asked = nextMessage(child, { timeoutMs: 10_000 })
    child.emit('message', { kind: 'ready' })
    child.emit('message', { kind: 'late' })
    expect(await asked).toEqual({ kind: 'ready' })
  })

  it.each([
    ['ended', (child: ChildProcess) => child.emit('exit')],
    ['aborted', (_: ChildProcess, stop: AbortController) => stop.abort()],
  ] as const)('does not come from one that is %s', async (reason, end) => {
    const child = process()
    const stop = new AbortController()
    const asked = nextMessage(child, { timeoutMs: 10_000, signal: stop.signal })
    end(child, stop)
    await expect(asked).rejects.toMatchObject({ reason })
  })

  it('is not waited for longer than asked, and nothing stays that listens', async () => {
    const child = process()
    await expect(nextMessage(child, { timeoutMs: 0 })).rejects.toMatchObject({ reason: 'silent' })
    expect(child.eventNames()).toEqual([])
  })
})
