import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'studies', meta: { title: 'Studies' }, component: () => import('./views/Studies.vue') },
    { path: '/sign-in', name: 'sign-in', meta: { title: 'Sign in' }, component: () => import('./views/SignIn.vue') },
    { path: '/house', name: 'house', meta: { title: 'House rules' }, component: () => import('./views/House.vue') },
    { path: '/intake', name: 'intake', meta: { title: 'Intake' }, component: () => import('./views/IntakeDesk.vue') },
    {
      path: '/studies/:study(\\d+)/variants',
      name: 'variants',
      meta: { title: 'Variants' },
      component: () => import('./views/Variants.vue'),
    },
    {
      path: '/studies/:study(\\d+)/sign-off',
      name: 'sign-off',
      meta: { title: 'Sign-off' },
      component: () => import('./views/SignOff.vue'),
    },
    {
      path: '/studies/:study(\\d+)/history',
      name: 'history',
      meta: { title: 'History' },
      component: () => import('./views/History.vue'),
    },
    {
      path: '/studies/:study(\\d+)/people',
      name: 'people',
      meta: { title: 'People' },
      component: () => import('./views/People.vue'),
    },
    { path: '/starters', name: 'starters', meta: { title: 'Starters' }, component: () => import('./views/Starters.vue') },
    { path: '/account', name: 'account', meta: { title: 'Your account' }, component: () => import('./views/Account.vue') },
    { path: '/people', name: 'house-people', meta: { title: 'People' }, component: () => import('./views/HousePeople.vue') },
    { path: '/invited', name: 'invited', meta: { title: 'You are invited' }, component: () => import('./views/Invited.vue') },
    { path: '/operations', name: 'operations', meta: { title: 'Operations' }, component: () => import('./views/Operations.vue') },
    { path: '/inbox', name: 'inbox', meta: { title: 'Inbox' }, component: () => import('./views/Inbox.vue') },
    {
      path: '/bench/:variant(\\d+)/:place(supply|targets|demand|fit|addresses|preflight|drills|rehearsal|ledger|handover)',
      name: 'bench',
      component: () => import('./views/Bench.vue'),
    },
    { path: '/:rest(.*)*', component: () => import('./views/Nowhere.vue') },
  ],
})

router.afterEach((to) => {
  if (typeof to.meta.title === 'string') document.title = `${to.meta.title} · Rombel`
})
