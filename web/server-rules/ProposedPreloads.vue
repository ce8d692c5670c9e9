<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import { PreloadProposal } from '../../core/contracts/server-rules.ts'
import { callApi } from '../api/client.ts'
import { bytes, howMany } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'

/** Files that the measured pages needed first, to be named in the rules. */
const props = defineProps<{ siteId: string; named: readonly string[] }>()
const emit = defineEmits<{ take: [paths: string[]] }>()
const problems = useProblems()

const proposal = shallowRef<PreloadProposal | null>(null)
watch(
  () => props.siteId,
  async (siteId) => {
    const path = `/sites/${siteId}/server-rules/preloads`
    proposal.value = (await problems.catching(() => callApi('GET', path, PreloadProposal))) ?? null
  },
  { immediate: true },
)
const missing = computed(() => (proposal.value?.files ?? []).filter(({ path }) => !props.named.includes(path)))
const who = computed(() =>
  proposal.value?.pages === 1
    ? 'The page that was measured'
    : `Each of the ${howMany(proposal.value?.pages ?? 0, 'page')} that were measured`,
)
</script>

<template>
  <div v-if="proposal !== null" class="small proposal">
    <p v-if="proposal.pages === 0">Measure a few pages, and the files that all of them need first are proposed here.</p>
    <p v-else-if="proposal.files.length === 0">
      No file of this site was needed first by every page that was measured.
    </p>
    <template v-else-if="missing.length > 0">
      <p>
        {{ who }} needed these files before it could be shown. If a name changes with each version of a file, change it
        here as well:
      </p>
      <ul>
        <li v-for="{ path, bytes: size } in missing" :key="path">
          <code>{{ path }}</code> ({{ bytes(size) }})
        </li>
      </ul>
      <v-btn
        size="small"
        variant="outlined"
        @click="
          emit(
            'take',
            missing.map(({ path }) => path),
          )
        "
        >Add these files</v-btn
      >
    </template>
    <p v-else>All files that the measured pages needed first are named.</p>
  </div>
</template>

<style scoped>
.proposal ul {
  margin: 0.3rem 0 0.6rem;
}
.proposal li {
  overflow-wrap: anywhere;
}
</style>
