<script setup lang="ts">
import { Moon, Sunny } from '@element-plus/icons-vue'
import { ElIcon } from 'element-plus'
import { locked } from './api/access'
import TokenForm from './components/TokenForm.vue'
import { theme, turnTheme } from './theme'
</script>

<template>
  <header class="bar">
    <RouterLink to="/" class="home" aria-label="Sieb: all deliveries">
      <img src="/sieve.svg" alt="" width="30" height="30" />
      <span>Sieb</span>
    </RouterLink>
    <nav aria-label="Main">
      <RouterLink to="/">Deliveries</RouterLink>
    </nav>
    <button type="button" class="theme" :aria-label="theme === 'dark' ? 'Use the light theme' : 'Use the dark theme'" @click="turnTheme">
      <ElIcon :size="18"><Sunny v-if="theme === 'dark'" /><Moon v-else /></ElIcon>
    </button>
  </header>
  <main class="page">
    <TokenForm v-if="locked" />
    <RouterView v-else />
  </main>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 24px;
  padding: 8px 24px;
  border-bottom: 3px double var(--line);
}

.home {
  display: flex;
  align-items: center;
  gap: 8px;
  font: 600 22px/1 var(--serif);
  color: var(--ink);
  text-decoration: none;
}

nav {
  flex: 1;
}

nav a {
  color: var(--ink);
  text-decoration: none;
  padding: 4px 2px;
}

nav a.router-link-active {
  border-bottom: 2px solid var(--grain);
}

.theme {
  border: 0;
  background: none;
  color: var(--ink);
  padding: 6px;
  line-height: 0;
  cursor: pointer;
}

.page {
  max-width: 1560px;
  margin: 0 auto;
  padding: 20px 24px 48px;
}

@media (max-width: 640px) {
  .bar,
  .page {
    padding-inline: 12px;
  }
}
</style>
