<template>
  <main class="nowhere">
    <h1>There is nothing at this address.</h1>
    <p><RouterLink to="/">All studies</RouterLink></p>
  </main>
</template>

<style scoped>
.nowhere {
  padding: 60px;
  display: grid;
  gap: 10px;
}
</style>
