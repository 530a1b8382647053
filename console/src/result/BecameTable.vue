<script setup lang="ts">
/** The profile of the accepted rows beside that of the delivery: what the cure did to each column. */
import { ElSkeleton } from 'element-plus'
import { computed } from 'vue'
import { answered, api, type Became } from '../api/client'
import { useLoaded } from '../loaded'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, visible } from '../format'

const { run, delivery } = defineProps<{ run: string; delivery: string }>()
const emit = defineEmits<{ count: [column: string] }>()

/** So many columns are listed. */
const mostListed = 500
const { found, error, load } = useLoaded<Became>(
  () => run,
  () => answered(api.GET('/api/v1/runs/{id}/became', { params: { path: { id: run } } })),
)

type Facts = Became['columns'][number]['is']
const different = (f: Facts): string => `${f.distinctExact ? '' : '≈ '}${count(f.distinct)}`
const range = (f: Facts): string =>
  f.minimum === undefined ? '' : `${visible(f.minimum.slice(0, 40))} to ${visible((f.maximum ?? '').slice(0, 40))}`
const listed = computed(() => (found.value?.columns ?? []).slice(0, mostListed))
</script>

<template>
  <div class="became">
    <FailureNote v-if="error" :error="error" :retry="load" />
    <template v-else-if="!found">
      <p class="soft" role="status">The accepted rows are profiled …</p>
      <ElSkeleton :rows="6" animated />
    </template>
    <template v-else>
      <p class="soft">
        {{ counted(found.rows, 'accepted row', 'accepted rows')
        }}<template v-if="found.delivered !== undefined"
          >, beside the {{ counted(found.delivered, 'row', 'rows') }} of the delivery</template
        ><template v-else
          >; the delivery has no profile as it was read:
          <RouterLink :to="`/deliveries/${delivery}/profile`">make it at the Profile station</RouterLink>, and both
          stand here side by side</template
        >.
      </p>
      <div class="scroll" tabindex="0" role="region" aria-label="What became of the columns">
        <table class="dense tight">
          <thead>
            <tr>
              <th>column</th>
              <th>of</th>
              <th class="number">filled</th>
              <th class="number">different</th>
              <th>range</th>
              <th>shape</th>
              <th>what was odd</th>
            </tr>
          </thead>
          <tbody v-for="c in listed" :key="c.column">
            <tr>
              <th scope="row">
                <button
                  type="button"
                  class="link"
                  title="How often each value occurs"
                  @click="emit('count', c.column)"
                >
                  {{ visible(c.column) }}
                </button>
              </th>
              <td class="soft">result</td>
              <td class="number">{{ count(c.is.filled) }}</td>
              <td class="number">{{ different(c.is) }}</td>
              <td>{{ range(c.is) }}</td>
              <td>{{ visible((c.is.shape ?? '').slice(0, 40)) }}</td>
              <td>
                <p v-for="f in c.new ?? []" :key="f" class="new"><b>new:</b> {{ visible(f) }}</p>
                <p v-for="f in c.still ?? []" :key="f"><b>still:</b> {{ visible(f) }}</p>
                <span v-if="!c.new && !c.still" class="soft">nothing</span>
              </td>
            </tr>
            <tr v-if="c.was" class="soft">
              <td>{{ c.header === c.column ? '' : visible(c.header ?? '') }}</td>
              <td>delivered</td>
              <td class="number">{{ count(c.was.filled) }}</td>
              <td class="number">{{ different(c.was) }}</td>
              <td>{{ range(c.was) }}</td>
              <td>{{ visible((c.was.shape ?? '').slice(0, 40)) }}</td>
              <td>
                <p v-for="f in c.gone ?? []" :key="f" class="gone"><b>gone:</b> {{ visible(f) }}</p>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="found.columns.length > mostListed" class="soft">
        The first {{ mostListed }} of {{ counted(found.columns.length, 'column', 'columns') }} are listed.
      </p>
    </template>
  </div>
</template>

<style scoped>
.became {
  padding: 8px 12px 12px;
}

.scroll {
  overflow: auto;
  max-height: calc(100vh - 200px);
}

th {
  text-align: left;
}

tbody th {
  font-weight: 600;
}

td {
  vertical-align: top;
}

td p {
  margin: 0;
}

.gone {
  color: var(--leaf);
}

.new {
  color: var(--rust);
}
</style>
