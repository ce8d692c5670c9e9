import { expect, test } from 'vitest'
import { connectHost } from './special-names.ts'

test.each([
  ['localhost', '127.0.0.1'],
  ['orrin.localhost', '127.0.0.1'],
  ['trial.orrin.LOCALHOST.', '127.0.0.1'],
  ['localhost.example', 'localhost.example'],
  ['notlocalhost', 'notlocalhost'],
])('RFC 6761 §6.3: %s is reached at %s', (name, host) => expect(connectHost(name)).toBe(host))
