import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './pages/session'

export const BENCHES = ['ground', 'stock', 'planting', 'sightline', 'budget', 'handover'] as const
export type Bench = (typeof BENCHES)[number]

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/', redirect: '/levels' },
    { path: '/sign-in', component: () => import('./pages/SignIn.vue'), meta: { open: true } },
    { path: '/levels', component: () => import('./pages/LevelList.vue') },
    { path: '/audit', component: () => import('./pages/AuditTrail.vue') },
    { path: '/account', component: () => import('./pages/OwnAccount.vue') },
    { path: '/installation', component: () => import('./pages/InstallationSettings.vue') },
    {
      path: '/link/:token',
      component: () => import('./pages/UseLink.vue'),
      props: true,
      meta: { open: true },
    },
    { path: '/levels/:slug/team', component: () => import('./pages/TeamPage.vue'), props: true },
    { path: '/levels/:slug', redirect: (to) => `/levels/${to.params.slug}/planting` },
    {
      path: `/levels/:slug/:bench(${BENCHES.join('|')})`,
      component: () => import('./level/LevelView.vue'),
      props: true,
    },
    { path: '/:rest(.*)*', redirect: '/levels' },
  ],
})

router.beforeEach(async (to) => {
  const session = useSession()
  await session.ready()
  if (!to.meta.open && !session.name) return { path: '/sign-in', query: { to: to.fullPath } }
})
