export default { base: '/shop/', resolve: { alias: { vue: 'vue/dist/vue.esm-bundler.js' } } };
