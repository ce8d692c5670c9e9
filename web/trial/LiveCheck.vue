<script setup lang="ts">
import { ref, shallowRef, watch } from 'vue'
import { QuickCheck } from '../../core/contracts/quick-check.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import QuickCheckResult from '../measure/QuickCheckResult.vue'
import SelectField from '../ui/SelectField.vue'

/** What one page of live says of itself, once a setting has become live: all the fields behind the confirmation. */
const props = defineProps<{ site: Site; paths: readonly string[] }>()
const siteData = useSite()
const problems = useProblems()
const path = ref<string | null>(null)
const check = shallowRef<QuickCheck | null>(null)
watch(path, async (chosen) => {
  check.value = null
  if (chosen === null) return
  const found = await problems.catching(() =>
    callApi('POST', siteData.path('/quick-checks'), QuickCheck, { address: props.site.liveUrl + chosen }),
  )
  if (found !== undefined && path.value === chosen) check.value = found
})
</script>

<template>
  <SelectField v-model="path" class="choice" none="None" label="Look at one of them in full" :items="[...paths]" />
  <div v-if="check" role="status"><QuickCheckResult :check="check" /></div>
</template>

<style scoped>
.choice {
  max-width: 380px;
  margin: 0.7rem 0;
}
</style>
