import { createApp } from 'vue';
import { createRouter, createWebHistory } from 'vue-router';

const page = (title) => ({ template: `<main><h1>${title}</h1></main>` });
const routes = [
  { path: '/', component: page('Shop') },
  { path: '/basket', component: page('Basket') },
  { path: '/tickets/:kind', component: page('Ticket') },
];
const router = createRouter({ history: createWebHistory('/shop/'), routes });
createApp({ template: '<nav><router-link to="/basket">Basket</router-link></nav><router-view />' }).use(router).mount('#app');
