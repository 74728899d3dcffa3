import createClient, { type Middleware } from 'openapi-fetch'
import { patientFetch } from './patience'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Bench = Schemas['BenchOut']
export type Fit = Schemas['FitOut']
export type FitNode = Schemas['NodeOut']
export type Workload = Schemas['WorkloadOut']
export type Fault = Schemas['FaultOut']
export type Run = Schemas['RunOut']
export type Reading = Schemas['ReadingOut']
export type Matrix = Schemas['MatrixOut']
export type MatrixType = Schemas['MatrixType']
export type TypeDetail = Schemas['TypeDetailOut']
export type Provider = Schemas['ProviderOut']
export type ListReading = Schemas['ListReadingOut']
export type RegionOutlook = Schemas['RegionOutlook']
export type HouseRules = Schemas['RulesOut']
export type Inquiry = Schemas['InquiryOut']
export type Question = Inquiry['question']
export type PromisePrice = Schemas['PriceOut']
export type Design = Schemas['DesignOut']
export type MigrationPlan = Schemas['MigrationPlanOut']
export type Step = Schemas['MigrationStepOut']
export type Alternative = Schemas['AlternativeOut']

/** Whether a worker still has to do with it: a fit, or a price list being read. */
export function underWay(job: { status: string } | null | undefined): boolean {
  return job?.status === 'queued' || job?.status === 'running'
}

/** Whether a fit is a plan: there is one, and it is neither proved to be impossible nor simply not found. */
export function isPlan<T extends { status: string }>(fit: T | null | undefined): fit is T {
  return fit !== null && fit !== undefined && fit.status !== 'infeasible' && fit.status !== 'unknown'
}

/** The number of a bench's plan; 0: there is none. */
export function planId(bench: Bench): number {
  return isPlan(bench.fit) ? bench.fit.id : 0
}

/** Whether the last fit ended without a plan. */
export function lacksPlan(fit: { status: string } | null | undefined): boolean {
  return fit !== null && fit !== undefined && !isPlan(fit)
}

/** A problem document of the server, as an error. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    title: string,
    readonly faults: Fault[],
  ) {
    super(title)
  }
}

/** What a problem says in a line: its first fault with what would fix it, else its title. */
export function inShort(problem: Problem): string {
  const fault = problem.faults?.[0]
  return fault ? `${fault.reason} ${fault.fix}` : problem.message
}

const token: Middleware = {
  onRequest({ request }) {
    const cookie = /(?:^|; )(?:__Host-)?csrftoken=([^;]*)/.exec(document.cookie)
    if (cookie?.[1]) request.headers.set('X-CSRFToken', cookie[1])
    return request
  },
}

const once: Middleware = {
  onRequest({ request }) {
    if (request.method === 'POST') request.headers.set('Idempotency-Key', newKey())
    return request
  },
}

function newKey(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join('')
}

export const client = createClient<paths>({ baseUrl: '/', fetch: patientFetch })
client.use(token, once)

/** Return the data of an answer, or throw its problem. */
export function taken<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.response.ok) return answer.data as T
  const body = (answer.error ?? {}) as { title?: string; faults?: Fault[] }
  throw new Problem(answer.response.status, body.title ?? 'The server did not answer as expected.', body.faults ?? [])
}
