<script setup lang="ts">
/** The cells of a violation that rejects no row: what was delivered, and what became of it. */
import { ElPagination, ElSkeleton } from 'element-plus'
import { useAddress } from '../address'
import { answered, api, type Group, type Run, type Violations } from '../api/client'
import { count, counted, visible } from '../format'
import { useLoaded } from '../loaded'
import FailureNote from '../components/FailureNote.vue'

const { run, group } = defineProps<{ run: Run; group: Group }>()

const perPage = 50
const address = useAddress()
const { found, error, load } = useLoaded<Violations>(
  () => [run.id, group.code, group.column, address.page()],
  () => {
    const query = {
      offset: (address.page() - 1) * perPage,
      limit: perPage,
      column: group.column || undefined,
      code: group.code,
    }
    return answered(api.GET('/api/v1/runs/{id}/violations', { params: { path: { id: run.id }, query } }))
  },
)
</script>

<template>
  <div class="head">
    <h2>{{ group.action === 'blank' ? 'Cells that were blanked' : 'Flagged, and taken as they are' }}</h2>
    <span v-if="found" class="soft"
      >{{ counted(found.total, 'cell', 'cells') }} with {{ group.code
      }}<template v-if="group.column"> in {{ group.column }}</template></span
    >
  </div>
  <FailureNote v-if="error" :error="error" :retry="load" class="note" />
  <ElSkeleton v-else-if="!found" :rows="4" animated class="note" />
  <template v-else>
    <div class="scroll" role="region" aria-label="Cells in question" tabindex="0">
      <table>
        <thead>
          <tr>
            <th scope="col" class="number">row</th>
            <th scope="col" class="number">line</th>
            <th scope="col">as delivered</th>
            <th scope="col">accepted as</th>
            <th scope="col">why</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="v in found.items" :key="`${v.row}/${v.line}/${v.value}`">
            <td class="number">
              <RouterLink
                v-if="v.row > 0"
                :to="`/deliveries/${run.delivery}/reading?row=${v.row}`"
                :title="`See row ${v.row} in the delivery`"
                >{{ count(v.row) }}</RouterLink
              >
            </td>
            <td class="number soft">{{ count(v.line) }}</td>
            <td>
              <template v-if="v.value">{{ visible(v.value) }}</template><span v-else class="blank">empty</span>
            </td>
            <td>
              <span v-if="group.action === 'blank'" class="blank">empty</span>
              <template v-else-if="v.value">{{ visible(v.value) }}</template>
              <span v-else class="blank">empty</span>
            </td>
            <td class="why">{{ visible(v.message) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <ElPagination
      v-if="found.total > perPage"
      class="pages"
      layout="prev, pager, next"
      :page-size="perPage"
      :total="found.total"
      :current-page="address.page()"
      @current-change="(p: number) => address.go({ page: p > 1 ? p : undefined })"
    />
  </template>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 12px;
  padding: 10px 14px;
}

.note {
  margin: 0 14px 14px;
}

.scroll {
  overflow: auto;
  max-height: calc(100vh - 120px);
  border-top: 1px solid var(--line);
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

th {
  position: sticky;
  top: 0;
  background: var(--husk-wash);
  text-align: left;
}

th.number {
  text-align: right;
}

th,
td {
  padding: 5px 10px;
}

td {
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}

.why,
.blank {
  color: var(--soft);
}

.blank {
  font-style: italic;
}

.pages {
  padding: 8px;
  justify-content: center;
}
</style>
