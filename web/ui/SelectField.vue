<script setup lang="ts" generic="Value extends string | number | null">
import { computed, useId } from 'vue'

/**
 * One of several, with the look of the other fields. It is the browser's own select: its list is known to every phone and screen
 * reader, needs no script, and opens at once.
 */
const props = defineProps<{
  items: readonly (Value | { readonly value: Value; readonly title: string })[]
  label: string
  hint?: string
  disabled?: boolean
  /** The label is read out only: what it says is visible beside the field already. */
  hideLabel?: boolean
  /** What it is called when nothing is chosen (null), where that is possible. */
  none?: string
}>()
const model = defineModel<Value>({ required: true })
const id = useId()

const options = computed(() =>
  [...(props.none === undefined ? [] : [{ value: null as Value, title: props.none }]), ...props.items].map((item) =>
    typeof item === 'object' && item !== null ? item : { value: item, title: String(item) },
  ),
)
</script>

<template>
  <div class="select-field" :class="{ disabled }">
    <div class="box">
      <label :for="id" :class="{ 'visually-hidden': hideLabel }">{{ label }}</label>
      <select :id="id" v-model="model" :disabled="disabled" :aria-describedby="hint ? `${id}-hint` : undefined">
        <option v-for="option in options" :key="String(option.value)" :value="option.value">{{ option.title }}</option>
      </select>
    </div>
    <p v-if="hint" :id="`${id}-hint`">{{ hint }}</p>
  </div>
</template>

<style scoped>
.select-field {
  min-width: 0;
}
.box {
  position: relative;
}
label {
  position: absolute;
  left: 11px;
  top: -0.5em;
  z-index: 1;
  max-width: calc(100% - 22px);
  overflow: hidden;
  padding: 0 4px;
  font-size: 0.75rem;
  line-height: 1;
  white-space: nowrap;
  text-overflow: ellipsis;
  color: rgb(var(--v-theme-secondary));
  /* The label sits on the border: the upper half over the page, the lower half over the field. */
  background: linear-gradient(transparent 46%, rgb(var(--v-theme-surface)) 46%);
}
select {
  appearance: none;
  width: 100%;
  height: 40px;
  padding: 0 2rem 0 15px;
  border: 1px solid rgb(var(--v-theme-origin));
  border-radius: 4px;
  background: rgb(var(--v-theme-surface))
    url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 12 8'%3E%3Cpath d='m1 1 5 5 5-5' fill='none' stroke='%23888276' stroke-width='2'/%3E%3C/svg%3E")
    right 12px center / 11px no-repeat;
  color: inherit;
  font: inherit;
  text-overflow: ellipsis;
  cursor: pointer;
}
select:hover {
  border-color: currentcolor;
}
.disabled {
  opacity: 0.55;
}
.disabled select {
  cursor: default;
}
p {
  margin: 0;
  padding: 6px 15px 0;
  font-size: 0.8rem;
  line-height: 1.25;
  color: rgb(var(--v-theme-secondary));
}
</style>
