<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus'
import { ref } from 'vue'
import { signIn } from '../api/access'

const token = ref('')
const wrong = ref<string>()
const sending = ref(false)

async function send(): Promise<void> {
  sending.value = true
  wrong.value = await signIn(token.value)
  sending.value = false
}
</script>

<template>
  <form class="sheet token" aria-label="Token of the service" @submit.prevent="send">
    <h1>This service asks for its token</h1>
    <p>Whoever runs it has set one, so that only those who know it can read and change deliveries.</p>
    <label for="token">Token</label>
    <div class="line">
      <ElInput id="token" v-model="token" type="password" show-password autocomplete="current-password" autofocus />
      <ElButton native-type="submit" type="primary" :disabled="token === ''" :loading="sending">Go on</ElButton>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p class="soft">You stay signed in for twelve hours in this browser, or until you sign out.</p>
  </form>
</template>

<style scoped>
.token {
  max-width: 560px;
  margin: 60px auto;
  padding: 20px 24px;
}

h1 {
  font-size: 22px;
  margin: 0 0 8px;
}

label {
  font-weight: 600;
}

.line {
  display: flex;
  gap: 8px;
  margin: 6px 0;
}

.wrong {
  background: var(--rust-wash);
  border-left: 4px solid var(--rust);
  padding: 8px 12px;
}
</style>
