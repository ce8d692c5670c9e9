import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { createPinia, setActivePinia } from 'pinia'
import { NAMES, router } from './router.ts'

// The view itself shows a picture by an address that only the built application has.
vi.mock('./views/SignInView.vue', () => ({ default: { render: () => null } }))
beforeEach(() => setActivePinia(createPinia()))
afterEach(() => vi.unstubAllGlobals())

describe('places', () => {
  test('each has a title of its own', () => {
    const named = router.getRoutes().flatMap(({ name }) => (name === undefined ? [] : [String(name)]))
    expect(Object.keys(NAMES).sort()).toEqual([...named].sort())
    expect(new Set(Object.values(NAMES)).size).toBe(named.length)
  })
  test('are shut until somebody has signed in; what was wanted is kept for afterwards', async () => {
    vi.stubGlobal('fetch', () =>
      Promise.resolve(
        Response.json(
          { type: 'about:blank', title: 'Sign in', status: 401, code: 'SIGN_IN_NEEDED', detail: 'Sign in.' },
          { status: 401 },
        ),
      ),
    )
    await router.push('/sites/quay/ledger?kind=tried')
    expect(router.currentRoute.value).toMatchObject({ name: 'sign-in', query: { to: '/sites/quay/ledger?kind=tried' } })
    expect(document.title).toBe('Sign in · Zest Lamp')
  })
})
