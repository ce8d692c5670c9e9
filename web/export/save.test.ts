import { describe, expect, test } from 'vitest'
import { fileName } from './save.ts'

describe('a file that is handed over', () => {
  test.each([
    [['Orrin Sound Ferries', 'version-4'], 'json', 'orrin-sound-ferries-version-4.json'],
    [['../../etc', 'a/b\\c:d'], 'svg', 'etc-a-b-c-d.svg'],
    [['Fähre №1'], 'png', 'f-hre-1.png'],
    [['a'.repeat(200)], 'pdf', `${'a'.repeat(80)}.pdf`],
  ])('%j has the name %s%s that any file system takes', (parts, ending, name) => {
    expect(fileName(parts, ending)).toBe(name)
  })
})
