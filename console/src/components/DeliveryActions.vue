<script setup lang="ts">
/** What can be done with a delivery as a whole: name it anew, put a note to it, delete it. */
import { MoreFilled } from '@element-plus/icons-vue'
import { ElButton, ElIcon, ElInput, ElMessageBox } from 'element-plus'
import { nextTick, ref, useTemplateRef } from 'vue'
import { answered, api, type Delivery } from '../api/client'
import FailureNote from './FailureNote.vue'

const { delivery } = defineProps<{ delivery: Delivery }>()
const emit = defineEmits<{ changed: [delivery: Delivery]; deleted: [] }>()

const button = useTemplateRef<HTMLElement>('button')
const menu = useTemplateRef<HTMLElement>('menu')
const dialog = useTemplateRef<HTMLDialogElement>('dialog')
/** The form is there only while it is asked for: a list has many of these. */
const isOpen = ref(false)
const name = ref('')
const note = ref('')
const error = ref<unknown>()
const path = (): { params: { path: { id: string } } } => ({ params: { path: { id: delivery.id } } })

/** Puts the menu under its button, and within the window. */
function place(): void {
  if (!button.value || !menu.value?.matches(':popover-open')) return
  const at = button.value.getBoundingClientRect()
  menu.value.style.top = `${Math.max(4, Math.min(at.bottom + 2, window.innerHeight - menu.value.offsetHeight - 4))}px`
  menu.value.style.left = `${Math.max(4, at.right - menu.value.offsetWidth)}px`
  menu.value.querySelector('button')?.focus()
}

function chosen(what: 'describe' | 'delete'): void {
  menu.value?.hidePopover()
  error.value = undefined
  if (what === 'delete') return void remove()
  name.value = delivery.name
  note.value = delivery.note ?? ''
  isOpen.value = true
  void nextTick(() => dialog.value?.showModal())
}

async function describe(): Promise<void> {
  error.value = undefined
  try {
    emit(
      'changed',
      await answered(
        api.PATCH('/api/v1/deliveries/{id}', { ...path(), body: { name: name.value.trim(), note: note.value } }),
      ),
    )
    dialog.value?.close()
  } catch (e) {
    error.value = e
  }
}

async function remove(): Promise<void> {
  let now = delivery
  try {
    // A run may have begun since the list was loaded.
    now = await answered(api.GET('/api/v1/deliveries/{id}', path()))
  } catch {
    // Then what is known is told.
  }
  const isBusy = [now.run, now.newest].some((r) => r?.state === 'waiting' || r?.state === 'running')
  try {
    await ElMessageBox.confirm(
      `${delivery.name} is deleted with its runs, their outputs, its profiles and drafts.${isBusy ? ' The run under way is cancelled first.' : ''} Only uploading the file again brings it back.`,
      'Delete this delivery?',
      { confirmButtonText: 'Delete it', cancelButtonText: 'Keep it', confirmButtonClass: 'el-button--danger' },
    )
  } catch {
    return
  }
  try {
    await answered(api.DELETE('/api/v1/deliveries/{id}', path()))
    emit('deleted')
  } catch (e) {
    await ElMessageBox.alert(e instanceof Error ? e.message : String(e), 'It was not deleted')
  }
}
</script>

<template>
  <span class="actions">
    <button
      ref="button"
      type="button"
      class="more"
      aria-haspopup="menu"
      :popovertarget="`menu-${delivery.id}`"
      :aria-label="`Name, note or delete ${delivery.name}`"
    >
      <ElIcon :size="16"><MoreFilled /></ElIcon>
    </button>
    <div :id="`menu-${delivery.id}`" ref="menu" popover class="menu sheet" role="menu" @toggle="place">
      <button type="button" role="menuitem" @click="chosen('describe')">Name and note…</button>
      <button type="button" role="menuitem" @click="chosen('delete')">Delete…</button>
    </div>
    <dialog
      v-if="isOpen"
      ref="dialog"
      class="sheet"
      :aria-label="`Name and note of ${delivery.name}`"
      @close="isOpen = false"
    >
      <h2>Name and note</h2>
      <form class="words" @submit.prevent="describe">
        <label :for="`name-${delivery.id}`">Name</label>
        <ElInput :id="`name-${delivery.id}`" v-model="name" :maxlength="255" />
        <p v-if="delivery.arrivedAs" class="soft">It arrived as {{ delivery.arrivedAs }}.</p>
        <label :for="`note-${delivery.id}`">Note</label>
        <ElInput
          :id="`note-${delivery.id}`"
          v-model="note"
          type="textarea"
          :maxlength="2000"
          :autosize="{ minRows: 2, maxRows: 8 }"
          placeholder="for whoever opens it next"
        />
        <FailureNote v-if="error" :error="error" />
        <div class="foot">
          <ElButton @click="dialog?.close()">Leave as it is</ElButton>
          <ElButton type="primary" native-type="submit" :disabled="name.trim() === ''">Save</ElButton>
        </div>
      </form>
    </dialog>
  </span>
</template>

<style scoped>
.more {
  padding: 4px 6px;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  color: var(--soft);
  line-height: 0;
  cursor: pointer;
}

.menu {
  position: fixed;
  inset: auto;
  margin: 0;
  padding: 4px;
  color: var(--ink);
}

.menu button {
  display: block;
  width: 100%;
  padding: 6px 14px;
  border: 0;
  border-radius: 3px;
  background: none;
  color: inherit;
  font-size: 14px;
  text-align: left;
  cursor: pointer;
}

.menu button:hover {
  background: var(--grain-wash);
}

.more:hover {
  border-color: var(--line);
  color: var(--ink);
}

dialog {
  width: min(520px, calc(100vw - 24px));
  padding: 14px 18px;
  color: var(--ink);
  text-align: left;
}

dialog::backdrop {
  background: rgb(0 0 0 / 45%);
}

.words {
  display: grid;
  gap: 6px;
  margin-top: 10px;
}

.words label {
  font-weight: 600;
}

.words p {
  margin: 0;
}

.foot {
  display: flex;
  justify-content: flex-end;
  margin-top: 8px;
}
</style>
