<script setup lang="ts">
/** Lines across a chart by seconds, and figures below it. */
defineProps<{
  x: (value: number) => number
  y: (seconds: number) => number
  xTicks: readonly number[]
  yTicks: readonly number[]
  width: number
  height: number
  margin: { readonly left: number; readonly right: number; readonly bottom: number }
  /** What stands below. */
  label: string
}>()
</script>

<template>
  <g class="axis">
    <template v-for="tick in yTicks" :key="`y${tick}`">
      <line :x1="margin.left" :x2="width - margin.right" :y1="y(tick)" :y2="y(tick)" />
      <text :x="margin.left - 8" :y="y(tick) + 4" text-anchor="end">{{ tick }} s</text>
    </template>
    <text v-for="tick in xTicks" :key="`x${tick}`" :x="x(tick)" :y="height - margin.bottom + 18" text-anchor="middle">
      {{ tick }}
    </text>
    <text :x="width - margin.right" :y="height - 6" text-anchor="end">{{ label }}</text>
  </g>
</template>

<style scoped>
line {
  stroke: rgb(var(--v-theme-line));
}
text {
  font-size: 13px;
  fill: rgb(var(--v-theme-on-surface));
}
</style>
