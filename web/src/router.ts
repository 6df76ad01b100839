import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './stores/session'

export const BENCHES = ['ground', 'stock', 'planting', 'sightline', 'budget', 'handover'] as const
export type Bench = (typeof BENCHES)[number]

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/', redirect: '/levels' },
    { path: '/sign-in', component: () => import('./views/SignIn.vue'), meta: { open: true } },
    { path: '/levels', component: () => import('./views/LevelList.vue') },
    { path: '/audit', component: () => import('./views/AuditTrail.vue') },
    { path: '/levels/:slug', redirect: (to) => `/levels/${to.params.slug}/planting` },
    {
      path: `/levels/:slug/:bench(${BENCHES.join('|')})`,
      component: () => import('./views/LevelView.vue'),
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
