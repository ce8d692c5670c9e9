import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './stores/session.ts'

/** Views are loaded when they are first opened. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('./views/SignInView.vue'),
      meta: { open: true },
    },
    { path: '/', name: 'sites', component: () => import('./views/SitesView.vue') },
    { path: '/connect', name: 'connect', component: () => import('./views/ConnectView.vue') },
    { path: '/account', name: 'account', component: () => import('./views/AccountView.vue') },
    { path: '/keyboard', name: 'keyboard', component: () => import('./views/KeyboardView.vue') },
    {
      path: '/sites/:siteId',
      component: () => import('./views/SiteFrame.vue'),
      children: [
        { path: '', name: 'today', component: () => import('./views/TodayView.vue') },
        { path: 'start', name: 'start', component: () => import('./views/StartView.vue') },
        { path: 'measure', name: 'measure', component: () => import('./views/MeasureView.vue') },
        { path: 'measure/trend', name: 'trend', component: () => import('./views/TrendView.vue') },
        { path: 'measure/check', name: 'check', component: () => import('./views/CheckView.vue') },
        { path: 'measure/visitors', name: 'visitors', component: () => import('./views/VisitorsView.vue') },
        { path: 'measure/load', name: 'load-test', component: () => import('./views/LoadTestView.vue') },
        { path: 'measure/routine', name: 'routine', component: () => import('./views/RoutineView.vue') },
        {
          path: 'measure/:measurementId',
          name: 'measurement',
          component: () => import('./views/MeasurementView.vue'),
        },
        {
          path: 'measure/:measurementId/runs/:runId',
          name: 'run',
          component: () => import('./views/RunView.vue'),
        },
        { path: 'remedies', name: 'remedies', component: () => import('./views/RemediesView.vue') },
        { path: 'remedies/guided', name: 'guided', component: () => import('./views/GuidedView.vue') },
        {
          path: 'remedies/checks/:checkId',
          name: 'safety',
          component: () => import('./views/SafetyView.vue'),
        },
        { path: 'store', name: 'store', component: () => import('./views/StoreView.vue') },
        { path: 'edges', name: 'edges', component: () => import('./views/EdgesView.vue') },
        { path: 'upkeep', name: 'upkeep', component: () => import('./views/UpkeepView.vue') },
        { path: 'ledger', name: 'ledger', component: () => import('./views/LedgerView.vue') },
        { path: 'ledger/report', name: 'report', component: () => import('./views/ReportView.vue') },
        { path: 'site', name: 'site', component: () => import('./views/SiteView.vue') },
      ],
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

router.beforeEach(async (to) => {
  const session = useSession()
  if (!session.known) await session.load().catch(() => undefined)
  if (to.meta['open'] === true) return session.account === null ? true : { name: 'sites' }
  return session.account === null ? { name: 'sign-in', query: { to: to.fullPath } } : true
})

/** What the window is called on each route. */
export const NAMES: Record<string, string> = {
  'sign-in': 'Sign in',
  sites: 'Sites',
  connect: 'Connect a site',
  account: 'Account',
  keyboard: 'Keyboard',
  today: 'Today',
  start: 'Set-up guide',
  measure: 'Measure',
  trend: 'Trend',
  check: 'Quick check',
  'load-test': 'Load test',
  visitors: 'Visitors',
  routine: 'Routine',
  measurement: 'Measurement',
  run: 'Page load',
  remedies: 'Remedies',
  guided: 'Guided run',
  safety: 'Safety check',
  store: 'Store',
  edges: 'Edges',
  upkeep: 'Upkeep',
  ledger: 'Ledger',
  report: 'Report',
  site: 'Site',
}
router.afterEach((to) => {
  document.title = `${NAMES[String(to.name)] ?? 'Zest Lamp'} · Zest Lamp`
})
