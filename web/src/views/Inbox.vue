<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { useInbox, useReadNotices } from '../api/inbox'
import { day } from '../domain/format'
import HousePage from '../ui/HousePage.vue'

/** What the person is told, newest first; nothing of it is sent anywhere else. */
const inbox = useInbox()
const read = useReadNotices()
const notices = computed(() => inbox.data.value?.notices ?? [])
const newest = computed(() => notices.value[0]?.id ?? 0)
</script>

<template>
  <HousePage title="Inbox">
    <template #beside
      ><span class="quiet">{{ inbox.data.value ? `${inbox.data.value.unread || 'none'} unread` : '' }}</span></template
    >
    <template #act
      ><NButton v-if="inbox.data.value?.unread" size="small" :loading="read.isPending.value" @click="read.mutate(newest)"
        >All are read</NButton
      ></template
    >
    <p v-if="inbox.data.value && !notices.length" class="quiet">
      Nothing was told to you yet. You are told here when a plan is handed in to you, signed or returned, and when a request of yours is
      answered.
    </p>
    <ul v-else>
      <li v-for="each in notices" :key="each.id" :class="{ unread: !each.read }">
        <span class="quiet">{{ day(each.at) }}</span>
        <span
          ><span v-if="!each.read" class="unseen">unread:</span> <strong>{{ each.by }}</strong> {{ each.words }}</span
        >
        <RouterLink :to="each.link" :aria-label="`look: ${each.words}`" @click="read.mutate(each.id)">Look</RouterLink>
      </li>
    </ul>
  </HousePage>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 90px 1fr 44px;
  gap: 12px;
  padding: 8px 6px;
  border-bottom: 1px solid var(--line);
  border-left: 3px solid transparent;
}
.unread {
  border-left-color: var(--madder);
}
li a {
  min-height: 24px;
}
</style>
