<script setup lang="ts">
import { Close, Upload as UploadIcon } from '@element-plus/icons-vue'
import { ElButton, ElIcon, ElProgress } from 'element-plus'
import { ref, useTemplateRef } from 'vue'
import { size } from '../format'
import { useUploads } from '../uploads'
import FailureNote from './FailureNote.vue'

const uploads = useUploads()
const input = useTemplateRef<HTMLInputElement>('input')
const over = ref(false)

function dropped(e: DragEvent): void {
  over.value = false
  if (e.dataTransfer) uploads.add(e.dataTransfer.files)
}

function chosen(): void {
  if (input.value?.files) uploads.add(input.value.files)
  if (input.value) input.value.value = ''
}
</script>

<template>
  <section aria-label="Upload files">
    <div
      class="zone"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="dropped"
    >
      <ElIcon :size="22"><UploadIcon /></ElIcon>
      <span>Drop files here, or</span>
      <ElButton type="primary" @click="input?.click()">Choose files</ElButton>
      <span class="soft">CSV and other delimited text, fixed-width text, workbooks (XLSX, ODS); also compressed</span>
      <input ref="input" type="file" multiple hidden aria-label="Files to upload" @change="chosen" />
    </div>
    <ul v-if="uploads.list.length > 0" class="uploads">
      <li v-for="u in uploads.list" :key="u.id">
        <div class="row">
          <RouterLink v-if="u.delivery" :to="`/deliveries/${u.delivery.id}`">{{ u.name }}</RouterLink>
          <span v-else class="name">{{ u.name }}</span>
          <span class="soft">
            <template v-if="u.delivery?.refusal">refused: {{ u.delivery.refusal }}</template>
            <template v-else-if="u.delivery"
              >arrived, {{ size(u.total)
              }}<template v-if="u.delivery.repeatOf"
                >: the <RouterLink :to="`/deliveries/${u.delivery.repeatOf}`">same bytes</RouterLink> have arrived
                before</template
              ></template
            >
            <template v-else-if="!u.error">{{ size(u.sent) }} of {{ size(u.total) }}</template>
          </span>
          <ElButton
            text
            size="small"
            :icon="Close"
            :aria-label="u.delivery || u.error ? `Dismiss ${u.name}` : `Stop ${u.name}`"
            @click="u.delivery || u.error ? uploads.dismiss(u.id) : u.stop()"
          />
        </div>
        <FailureNote v-if="u.error" :error="u.error" />
        <ElProgress
          v-else-if="!u.delivery"
          :percentage="u.total ? Math.floor((100 * u.sent) / u.total) : 0"
          :aria-label="`Sending ${u.name}`"
        />
      </li>
    </ul>
  </section>
</template>

<style scoped>
.zone {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  padding: 14px 18px;
  border: 1.5px dashed var(--husk);
  border-radius: 4px;
}

.zone.over {
  background: var(--grain-wash);
  border-color: var(--grain);
}

.uploads {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}

.row {
  display: flex;
  align-items: center;
  gap: 10px;
}

.name {
  overflow-wrap: anywhere;
}
</style>
