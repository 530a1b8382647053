import 'element-plus/dist/index.css'
import 'element-plus/theme-chalk/dark/css-vars.css'
import './style.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { guardClicks } from './clicks'
import { router } from './router'

guardClicks(document)
createApp(App).use(createPinia()).use(router).mount('#app')
