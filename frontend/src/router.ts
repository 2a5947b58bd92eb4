import { createRouter, createWebHistory } from 'vue-router'
import { STATIONS } from '@/document/stations'
import ManualPage from '@/manual/ManualPage.vue'
import StartPage from '@/start/StartPage.vue'
import ShotWorkspace from './ShotWorkspace.vue'

/** The addresses of the application. A shot names its variant and station, so that a link leads to the same work. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'start', component: StartPage },
    {
      path: `/shots/:shot(\\d+)/:variant(\\d+)?/:station(${STATIONS.join('|')})?`,
      name: 'shot',
      component: ShotWorkspace,
    },
    { path: '/manual/:page?', name: 'manual', component: ManualPage },
    { path: '/:unknown(.*)', redirect: { name: 'start' } },
  ],
})
