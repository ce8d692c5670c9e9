<script setup lang="ts">
import { useRouter } from 'vue-router'
import NextStep from '../ui/NextStep.vue'
import { useSites } from '../stores/sites.ts'
import { trialLink } from '../format/show.ts'

const sites = useSites()
const router = useRouter()
</script>

<template>
  <div class="view">
    <div class="bar head">
      <h1>Sites</h1>
      <v-btn v-if="sites.sites.length > 0" color="primary" variant="flat" :to="{ name: 'connect' }"
        >Connect a site</v-btn
      >
    </div>
    <i v-if="!sites.loaded" class="bone tall" role="status" aria-label="Loading" />
    <NextStep
      v-else-if="sites.sites.length === 0"
      sentence="Connect your first site: Zest Lamp loads it from outside, as a visitor would, and shows what it found. Nothing changes for its visitors."
      action="Connect a site"
      @go="router.push({ name: 'connect' })"
    />
    <div v-else class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Connected sites
        </caption>
        <thead>
          <tr>
            <th scope="col">Site</th>
            <th scope="col">Live</th>
            <th scope="col">Trial</th>
            <th scope="col">Origin</th>
            <th scope="col" class="num">Setup</th>
            <th scope="col" class="num">Sample</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="site in sites.sites" :key="site.id">
            <th scope="row">
              <router-link :to="{ name: 'today', params: { siteId: site.id } }">{{ site.name }}</router-link>
            </th>
            <td>
              <a :href="site.liveUrl" target="_blank" rel="noopener">{{ site.liveHost }}</a>
            </td>
            <td>
              <a :href="trialLink(site)" target="_blank" rel="noopener">{{ site.trialHost }}</a>
            </td>
            <td>{{ site.address }}</td>
            <td class="num">version {{ site.liveVersion }}</td>
            <td class="num">{{ site.sample.length }} pages</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.view {
  padding: 1.2rem 1.4rem;
}
.head {
  justify-content: space-between;
  margin-bottom: 1rem;
}
tbody th {
  font-size: 1rem;
}
</style>
