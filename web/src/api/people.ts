import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export type HousePerson = Schemas['HousePersonOut']
export type RoleName = HousePerson['role']
export type ScopeName = Schemas['TokenOut']['scopes'][number]

/** One's own sessions that are open. */
export function useSessions() {
  return useQuery({ queryKey: keys.sessions(), queryFn: async () => taken(await client.GET('/api/sessions')) })
}

/** End one session of one's own, or (none named) all others. */
export function useEndSession() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (session: number | null) =>
      session === null
        ? taken(await client.DELETE('/api/sessions'))
        : taken(await client.DELETE('/api/sessions/{session_id}', { params: { path: { session_id: session } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.sessions() }),
  })
}

/** One's own tokens, and what is done with them. */
export function useTokens() {
  const queries = useQueryClient()
  const again = () => queries.invalidateQueries({ queryKey: keys.tokens() })
  return {
    tokens: useQuery({ queryKey: keys.tokens(), queryFn: async () => taken(await client.GET('/api/tokens')) }),
    make: useMutation({
      mutationFn: async (body: Schemas['TokenIn']) => taken(await client.POST('/api/tokens', { body })),
      onSuccess: again,
    }),
    end: useMutation({
      mutationFn: async (token: number) => taken(await client.DELETE('/api/tokens/{token_id}', { params: { path: { token_id: token } } })),
      onSuccess: again,
    }),
  }
}

/** Everybody of the house and who is invited, for leads, and what they change. */
export function useHousePeople() {
  const queries = useQueryClient()
  const again = () => queries.invalidateQueries({ queryKey: keys.housePeople() })
  return {
    people: useQuery({ queryKey: keys.housePeople(), retry: false, queryFn: async () => taken(await client.GET('/api/people')) }),
    change: useMutation({
      mutationFn: async ({ id, ...body }: { id: number; role?: RoleName; locked?: boolean }) =>
        taken(await client.PATCH('/api/people/{person_id}', { params: { path: { person_id: id } }, body })),
      onSettled: again,
    }),
    invite: useMutation({
      mutationFn: async (body: Schemas['InvitationIn']) => taken(await client.POST('/api/invitations', { body })),
      onSuccess: again,
    }),
    withdraw: useMutation({
      mutationFn: async (invitation: number) =>
        taken(await client.DELETE('/api/invitations/{invitation_id}', { params: { path: { invitation_id: invitation } } })),
      onSuccess: again,
    }),
  }
}

/** Whom a link invites. */
export function useInvited(secret: string) {
  return useQuery({
    queryKey: keys.invited(secret),
    retry: false,
    queryFn: async () => taken(await client.POST('/api/invited/shown', { body: { secret } })),
  })
}

/** Make the account that a link invites to; whoever does is signed in afterwards. */
export function useAcceptInvitation() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Schemas['AcceptInvitationIn']) => taken(await client.POST('/api/invited/accepted', { body })),
    onSuccess: (person) => queries.setQueryData(keys.person(), person),
  })
}
