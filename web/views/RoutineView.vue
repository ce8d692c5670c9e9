<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, ref, watch } from 'vue'
import { Routine, type VisitorLimits } from '../../core/contracts/routine.ts'
import { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import MeasureNav from '../measure/MeasureNav.vue'
import MessageList from '../measure/MessageList.vue'
import { useSaving } from '../stores/saving.ts'
import SelectField from '../ui/SelectField.vue'

/** Retests that nobody has to start, and what they are held against. */
const props = defineProps<{ site: Site }>()
const copy = (): Routine => {
  const routine = Routine.parse(JSON.parse(JSON.stringify(props.site.routine)))
  const limits = props.site.visitors.map(
    ({ id }): VisitorLimits =>
      routine.limits.find(({ visitorId }) => visitorId === id) ?? {
        visitorId: id,
        lcpSeconds: null,
        sentKilobytes: null,
        requests: null,
      },
  )
  return { ...routine, limits }
}
const routine = ref<Routine>(copy())
watch(
  () => [props.site.routine, props.site.visitors],
  () => (routine.value = copy()),
)

const INTERVALS = [
  { value: null, title: 'never' },
  { value: 6, title: 'every 6 hours' },
  { value: 12, title: 'every 12 hours' },
  { value: 24, title: 'every night' },
  { value: 168, title: 'every week' },
]
const LIMITS = [
  { key: 'lcpSeconds', label: 'Main content, s' },
  { key: 'sentKilobytes', label: 'Sent, KB' },
  { key: 'requests', label: 'Requests' },
] as const
const nameOf = (id: string): string => props.site.visitors.find((one) => one.id === id)?.name ?? id
const changed = computed(() => JSON.stringify(routine.value) !== JSON.stringify(copy()))
const { saving, save } = useSaving(async () => {
  const limits = routine.value.limits.filter((one) => LIMITS.some(({ key }) => one[key] !== null))
  await callApi('PUT', `/sites/${props.site.id}/routine`, Site, {
    ...routine.value,
    limits,
    webhook: routine.value.webhook || null,
  })
})
</script>

<template>
  <MeasureNav :site="site" />
  <h1 class="visually-hidden">Routine</h1>
  <form @submit.prevent="save">
    <h2>Retests</h2>
    <p class="muted small">
      Live is measured again regularly: the first three sample pages, as each visitor, five runs each. Only one
      measurement runs at a time, so a retest waits its turn.
    </p>
    <div class="bar">
      <SelectField v-model="routine.everyHours" class="field" label="Retest" :items="INTERVALS" />
      <v-text-field v-model="routine.quietFrom" class="time" type="time" label="Quiet from (UTC)" />
      <v-text-field v-model="routine.quietUntil" class="time" type="time" label="Quiet until (UTC)" />
    </div>
    <h2>Limits</h2>
    <p class="muted small">
      You get a message when live crosses a limit, and when a retest finds a page measurably slower than before.
    </p>
    <div class="scroll">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Visitor</th>
            <th v-for="limit in LIMITS" :key="limit.key" scope="col">{{ limit.label }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="own in routine.limits" :key="own.visitorId">
            <th scope="row">{{ nameOf(own.visitorId) }}</th>
            <td v-for="limit in LIMITS" :key="limit.key">
              <v-text-field
                :model-value="own[limit.key]"
                type="number"
                min="0"
                step="any"
                placeholder="no limit"
                :aria-label="`${limit.label} for ${nameOf(own.visitorId)}`"
                @update:model-value="
                  (value: unknown) => (own[limit.key] = value === '' || value === null ? null : Number(value))
                "
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <h2>Where messages go</h2>
    <p class="muted small">
      Messages always appear here. If you add a webhook, each message is also sent there as JSON.
    </p>
    <v-text-field
      v-model="routine.webhook"
      class="hook"
      label="Webhook"
      placeholder="https://chat.example.org/hook"
      clearable
    />
    <div class="bar end">
      <ActionButton type="submit" color="primary" variant="flat" :disabled="!changed" :under-way="saving"
        >Save routine</ActionButton
      >
    </div>
  </form>
  <h2>Messages</h2>
  <MessageList :site="site" />
</template>

<style scoped>
.field {
  flex: 0 1 240px;
}
.time {
  flex: 0 1 170px;
}
.hook {
  max-width: 560px;
}
.end {
  margin-top: 0.8rem;
  justify-content: flex-start;
}
td {
  min-width: 130px;
}
</style>
