import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken, type Problem, type Schemas } from './client'
import { keys } from './keys'
import { forgetKnown } from './known'

/** Who is signed in; an error when nobody is. */
export function usePerson() {
  return useQuery({ queryKey: keys.person(), queryFn: async () => taken(await client.GET('/api/session')), retry: false })
}

export function useSignIn() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Schemas['SignIn']) => taken(await client.POST('/api/session', { body })),
    onSuccess: (person) => queries.setQueryData(keys.person(), person),
  })
}

/** Whether people sign in at the organisation's identity provider too. */
export const hasOutside = document.querySelector('meta[name=rombel-outside]') !== null

/** Go to the identity provider, to say there who one is. */
export function useConnectOutside() {
  return useMutation<Schemas['OutsideWayOut'] | undefined, Problem>({
    mutationFn: async () => taken(await client.POST('/api/session/outside')),
    onSuccess: (way) => way && window.location.assign(way.address),
  })
}

/** Change one's own password; this session goes on. */
export function useChangePassword() {
  return useMutation({
    mutationFn: async (body: Schemas['PasswordIn']) => taken(await client.POST('/api/session/password', { body })),
  })
}

export function useSignOut() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async () => taken(await client.DELETE('/api/session')),
    onSuccess: () => {
      forgetKnown()
      queries.clear()
    },
  })
}
