import { createRouter, createWebHistory, type RouteLocationNormalized } from 'vue-router'
import DeliveriesPage from './pages/DeliveriesPage.vue'
import DeliveryPage from './pages/DeliveryPage.vue'
import ReadingPage from './pages/ReadingPage.vue'
import MissingPage from './pages/MissingPage.vue'
import { libraryWords } from './shelves/names'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: DeliveriesPage, meta: { title: 'Deliveries' } },
    { path: '/deliveries/:id', component: DeliveryPage, props: true, meta: { title: 'Delivery' } },
    { path: '/deliveries/:id/rejects', component: DeliveryPage, props: true, meta: { title: 'Rejects' } },
    { path: '/deliveries/:id/reading', component: ReadingPage, props: true, meta: { title: 'Reading' } },
    {
      path: '/deliveries/:id/profile',
      component: () => import('./pages/ProfilePage.vue'),
      props: true,
      meta: { title: 'Profile' },
    },
    {
      path: '/deliveries/:id/rules',
      component: () => import('./pages/RulesPage.vue'),
      props: true,
      meta: { title: 'Rules' },
    },
    {
      path: '/deliveries/:id/result',
      component: () => import('./pages/ResultPage.vue'),
      props: true,
      meta: { title: 'Result' },
    },
    ...(['targets', 'mappings', 'codes'] as const).flatMap((library) => [
      {
        path: `/${library}`,
        component: () => import('./pages/ShelfPage.vue'),
        props: { library },
        meta: { title: libraryWords[library].title },
      },
      {
        path: `/${library}/:name`,
        component: () => import('./pages/TextPage.vue'),
        props: (to: RouteLocationNormalized) => ({ library, name: String(to.params.name) }),
        meta: { title: libraryWords[library].title },
      },
    ]),
    { path: '/:rest(.*)', component: MissingPage, meta: { title: 'Nothing here' } },
  ],
})

router.afterEach((to, from) => {
  // A page may have named itself more closely, and goes on as the same page.
  if (to.path !== from.path) document.title = `${String(to.meta.title)} · Sieb`
})
