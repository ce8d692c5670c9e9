<script setup lang="ts">
import { ref } from 'vue'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import ActionButton from '../ui/ActionButton.vue'
import ModalDialog from '../ui/ModalDialog.vue'

/** Before the trial is published: what changes, and what nobody has looked at. */
defineProps<{ changes: readonly string[]; retested: boolean }>()
const emit = defineEmits<{ kept: [version: number] }>()
const open = defineModel<boolean>({ required: true })
const siteData = useSite()
const problems = useProblems()
const trialChecks = useTrialChecks()
const note = ref('')
const working = ref(false)

const keep = async (): Promise<void> => {
  working.value = true
  const version = await problems.catching(() => siteData.keep(note.value))
  working.value = false
  open.value = false
  if (version !== undefined) emit('kept', version.number)
}
</script>

<template>
  <ModalDialog v-model="open" :width="560" label="Keep the trial">
    <form class="panel dialog" @submit.prevent="keep">
      <h2>Keep: publish this for visitors</h2>
      <ul>
        <li v-for="change in changes" :key="change">{{ change }}</li>
      </ul>
      <p v-if="!retested">The trial has not been retested as it is now.</p>
      <p v-if="!trialChecks.currentCheck">The trial has not been checked as it is now, so pages may be broken.</p>
      <p v-else-if="trialChecks.currentCheck.result === 'broken'" class="broken">
        The safety check found a broken page. Find the cause first, or look at the page yourself.
      </p>
      <p class="muted small">You can return to any earlier version in the Ledger.</p>
      <v-text-field v-model="note" label="Note (optional)" maxlength="1000" />
      <div class="bar end">
        <v-btn type="button" @click="open = false">Cancel</v-btn>
        <ActionButton type="submit" color="primary" variant="flat" :under-way="working">Publish</ActionButton>
      </div>
    </form>
  </ModalDialog>
</template>

<style scoped>
ul {
  padding-left: 1.2rem;
}
.broken {
  color: rgb(var(--v-theme-error));
}
</style>
