<script setup lang="ts">
import RombMark from './RombMark.vue'

/** A page for somebody who is not signed in: the mark, the name with what stands beside it (`beside`), and a form. */
defineEmits<{ enter: [] }>()
</script>

<template>
  <main class="gate">
    <form class="cut" @submit.prevent="$emit('enter')">
      <RombMark :height="54" />
      <div>
        <h1>Rombel</h1>
        <slot name="beside" />
      </div>
      <slot />
    </form>
  </main>
</template>

<style scoped>
.gate {
  min-height: 100vh;
  display: grid;
  place-items: center;
}
form {
  width: 340px;
  padding: 28px;
  display: grid;
  gap: 14px;
}
</style>
