import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'studies', component: () => import('./views/Studies.vue') },
    { path: '/sign-in', name: 'sign-in', component: () => import('./views/SignIn.vue') },
    { path: '/house', name: 'house', component: () => import('./views/House.vue') },
    { path: '/intake', name: 'intake', component: () => import('./views/IntakeDesk.vue') },
    {
      path: '/bench/:variant(\\d+)/:place(supply|targets|demand|fit|handover)',
      name: 'bench',
      component: () => import('./views/Bench.vue'),
    },
    { path: '/:rest(.*)*', component: () => import('./views/Nowhere.vue') },
  ],
})
