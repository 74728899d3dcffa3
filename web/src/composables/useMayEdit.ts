import { computed, type ComputedRef, type Ref } from 'vue'
import { usePerson } from '../api/session'
import { useStudyPeople, type StudyRole } from '../api/sharing'

/** Whether somebody with a role in the house may change a study in which they have another: the house role stays the most. */
export function mayEditAs(house: string | undefined, inStudy: StudyRole | undefined): boolean {
  return ['planner', 'lead'].includes(house ?? '') && inStudy !== undefined && inStudy !== 'reader'
}

/** Whether whoever is signed in may change a study. */
export function useMayEdit(study: Ref<number>): ComputedRef<boolean> {
  const person = usePerson()
  const people = useStudyPeople(study)
  return computed(() => mayEditAs(person.data.value?.role, people.data.value?.yours))
}
