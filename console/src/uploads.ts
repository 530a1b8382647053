import { defineStore } from 'pinia'
import { ref } from 'vue'
import { upload, type Delivery } from './api/client'

export interface Upload {
  id: number
  name: string
  total: number
  sent: number
  error?: unknown
  delivery?: Delivery
  stop: () => void
}

/** Files on their way to the staging area. They go on while the steward is on another page. */
export const useUploads = defineStore('uploads', () => {
  const list = ref<Upload[]>([])
  /** Counts files that have arrived, so that lists know when to look again. */
  const arrived = ref(0)
  let last = 0

  function add(files: Iterable<File>): void {
    for (const file of files) {
      const id = ++last
      const { done, stop } = upload(file, (sent) => change(id, (u) => (u.sent = sent)))
      list.value.push({ id, name: file.name, total: file.size, sent: 0, stop })
      done.then(
        (delivery) => {
          change(id, (u) => {
            u.sent = u.total
            u.delivery = delivery
          })
          arrived.value++
        },
        (error: unknown) => change(id, (u) => (u.error = error)),
      )
    }
  }

  function change(id: number, how: (u: Upload) => void): void {
    const found = list.value.find((u) => u.id === id)
    if (found) how(found)
  }

  function dismiss(id: number): void {
    list.value = list.value.filter((u) => u.id !== id)
  }

  return { list, arrived, add, dismiss }
})
