<script setup lang="ts">
import { computed, ref } from 'vue'
import type { FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import type { PictureLibrary, PicturePlan, PlacingOrder } from '../../core/contracts/picture-library.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { howMany } from '../format/show.ts'
import FileConnectionForm from '../server-rules/FileConnectionForm.vue'
import ActionButton from '../ui/ActionButton.vue'

/** The media folder on the server of the site: read for pictures that no page shows, and written to where nothing stands in front. */
const props = defineProps<{ site: Site; library: PictureLibrary; busy: boolean; ordering: string }>()
const emit = defineEmits<{
  placed: [place: FileConnectionInfo]
  plan: [plan: PicturePlan]
  place: [how: PlacingOrder['how']]
}>()
const mediaPath = ref(props.library.plan.mediaPath)
const isConnected = computed(() => props.library.place.trial?.outcome === 'good')
const lighter = computed(() => props.library.counts.lighter ?? 0)
const archive = computed(() => `/api/v1/sites/${props.site.id}/pictures/archive`)
</script>

<template>
  <p>
    Through delivery, visitors get lighter pictures without any change on your server. Without anything in front, take
    them as an archive, or have them written to the media folder. Over the originals, each original is first copied into
    a dated folder there and read back; one button puts all of them back.
  </p>
  <div class="bar">
    <v-btn v-if="lighter > 0" :href="archive" download>Download as an archive</v-btn>
    <ActionButton
      :disabled="!isConnected || busy || lighter === 0"
      :under-way="ordering === 'beside'"
      @click="emit('place', 'beside')"
      >Write beside the originals</ActionButton
    >
    <ActionButton
      :disabled="!isConnected || busy || lighter === 0"
      :under-way="ordering === 'over'"
      @click="emit('place', 'over')"
      >Write over the originals</ActionButton
    >
    <ActionButton
      v-if="library.placed > 0"
      :disabled="!isConnected || busy"
      :under-way="ordering === 'back'"
      @click="emit('place', 'back')"
      >Put {{ howMany(library.placed, 'original') }} back</ActionButton
    >
  </div>
  <p class="muted small">
    Over the originals, only files of the same form are written: an AVIF under the name of a JPEG would be mislabelled.
    Files beside them have the form added to their name, such as photo.jpg.avif.
  </p>
  <form class="bar" @submit.prevent="emit('plan', { ...library.plan, mediaPath })">
    <v-text-field v-model="mediaPath" class="address" label="Address of the media folder on the site" hide-details />
    <v-btn type="submit" :disabled="mediaPath === library.plan.mediaPath">Save</v-btn>
  </form>
  <FileConnectionForm
    :site="site"
    :connection="library.place"
    at="pictures/media-place"
    folder-label="Media folder"
    @changed="emit('placed', $event)"
  />
</template>

<style scoped>
p {
  max-width: 52rem;
}
.bar {
  margin: 0.6rem 0;
}
.address {
  max-width: 24rem;
}
</style>
