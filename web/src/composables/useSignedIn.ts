import { watch } from 'vue'
import { useRouter } from 'vue-router'
import { usePerson } from '../api/session'

/** Who is signed in; who is not is sent to sign in and comes back here. */
export function useSignedIn(): ReturnType<typeof usePerson> {
  const router = useRouter()
  const person = usePerson()
  watch(person.error, (error) => error && router.replace({ path: '/sign-in', query: { next: router.currentRoute.value.fullPath } }), {
    immediate: true,
  })
  return person
}
