import { useElementSize } from '@vueuse/core'
import { computed, type Ref } from 'vue'

/** Width and height of an element in whole pixels, followed as it is resized. */
export function useSize(element: Ref<HTMLElement | null>) {
  const size = useElementSize(element, { width: 640, height: 600 })
  return { width: computed(() => Math.floor(size.width.value)), height: computed(() => Math.floor(size.height.value)) }
}
