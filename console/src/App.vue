<script setup lang="ts">
import { Moon, Sunny } from '@element-plus/icons-vue'
import { ElButton, ElIcon, ElMessageBox } from 'element-plus'
import { onMounted } from 'vue'
import { useRoute } from 'vue-router'
import { findSession, locked, signedIn, signOut } from './api/access'
import { away } from './api/away'
import { sendKept } from './rules/outbox'
import TokenForm from './components/TokenForm.vue'
import { theme, turnTheme } from './theme'

const route = useRoute()

onMounted(findSession)

async function leave(): Promise<void> {
  if (await signOut()) return
  await ElMessageBox.alert('The service does not answer. Try again when it does.', 'You are still signed in')
}

onMounted(() => void sendKept())
</script>

<template>
  <header class="bar">
    <RouterLink to="/" class="home" aria-label="Sieb: all deliveries">
      <img src="/sieve.svg" alt="" width="30" height="30" />
      <span>Sieb</span>
    </RouterLink>
    <nav aria-label="Main">
      <RouterLink to="/" :class="{ 'router-link-active': route.path.startsWith('/deliveries') }"
        >Deliveries</RouterLink
      >
      <RouterLink to="/targets">Targets</RouterLink>
      <RouterLink to="/mappings">Mappings</RouterLink>
      <RouterLink to="/codes">Code lists</RouterLink>
    </nav>
    <ElButton v-if="signedIn && !locked" text @click="leave">Sign out</ElButton>
    <button
      type="button"
      class="theme"
      :aria-label="theme === 'dark' ? 'Use the light theme' : 'Use the dark theme'"
      @click="turnTheme"
    >
      <ElIcon :size="18"><Sunny v-if="theme === 'dark'" /><Moon v-else /></ElIcon>
    </button>
  </header>
  <p v-if="away" class="away" role="status">
    {{ away === 'database' ? 'The service’s database does not answer.' : 'The service does not answer.' }} Changes of
    rules and readings are kept here, and made as soon as it does; a run is to be started then.
  </p>
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
  display: flex;
  flex: 1;
  flex-wrap: wrap;
  gap: 2px 20px;
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

/* It lies over the foot of the page, so that nothing moves when it comes and goes. */
.away {
  position: fixed;
  left: 50%;
  bottom: 14px;
  z-index: 30;
  transform: translateX(-50%);
  width: max-content;
  max-width: calc(100vw - 24px);
  margin: 0;
  padding: 8px 14px;
  background: var(--grain-wash);
  border: 1px solid var(--grain);
  border-radius: 4px;
  box-shadow: 0 2px 8px rgb(0 0 0 / 20%);
}

.page {
  max-width: 1560px;
  margin: 0 auto;
  padding: 20px 24px 48px;
}

@media (max-width: 640px) {
  .bar {
    gap: 12px;
  }

  .bar,
  .page {
    padding-inline: 12px;
  }
}
</style>
