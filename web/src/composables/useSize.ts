import { onBeforeUnmount, ref, watch, type Ref } from 'vue'

/** Width and height of an element, followed as it is resized. */
export function useSize(element: Ref<HTMLElement | null>) {
  const width = ref(640)
  const height = ref(600)
  const watcher = new ResizeObserver(([entry]) => {
    if (!entry) return
    width.value = Math.floor(entry.contentRect.width)
    height.value = Math.floor(entry.contentRect.height)
  })
  // The element may come and go with what it shows.
  watch(element, (now, before) => {
    if (before) watcher.unobserve(before)
    if (now) watcher.observe(now)
  }, { immediate: true, flush: 'post' })
  onBeforeUnmount(() => watcher.disconnect())
  return { width, height }
}
