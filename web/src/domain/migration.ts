import Papa from 'papaparse'
import type { MigrationPlan, Step } from '../api/client'

/** What all nodes cost a month before the first step; null while nothing is known yet. */
export function begunAt(migration: MigrationPlan): number | null {
  if (migration.cost !== null) return Number(migration.cost)
  const first = migration.steps[0]
  return first ? Number(first.cost) + Number(first.saving) : null
}

/** What is kept by stopping after a step: saved and moved so far, and the share of all that could be saved. */
export function soFar(migration: MigrationPlan, place: number): { saved: number; moved: number; share: number } {
  const done = migration.steps.slice(0, place + 1)
  const saved = (steps: Step[]) => steps.reduce((sum, step) => sum + Number(step.saving), 0)
  const all = saved(migration.steps)
  return { saved: saved(done), moved: done.reduce((sum, step) => sum + step.moved, 0), share: all > 0 ? saved(done) / all : 1 }
}

/** Moves between the same two places, in the order of the step: where from, where to, and what goes. */
export interface Haul {
  way: string
  loads: string[]
}

export function hauls(step: Step): Haul[] {
  const found = new Map<string, string[]>()
  for (const move of step.moves) {
    const way = !move.source ? `started on ${move.target}` : !move.target ? `ended on ${move.source}` : `${move.source} → ${move.target}`
    found.set(way, [...(found.get(way) ?? []), move.count > 1 ? `${move.count} × ${move.workload}` : move.workload])
  }
  return [...found].map(([way, loads]) => ({ way, loads }))
}

/** One line for everything to do, in order: what a runbook takes. Fields with commas or quotes are quoted (RFC 4180). */
export function stepsCsv(migration: MigrationPlan): string {
  const rows = [
    ['step', 'action', 'node', 'instance_type', 'zone', 'workload', 'replicas', 'to_node', 'saving_per_month', 'cost_per_month'],
  ]
  migration.steps.forEach((step, place) => {
    const ends = [step.saving, step.cost]
    const number = String(place + 1)
    for (const node of step.new) rows.push([number, 'add node', node.name, node.instance_type, node.zone, '', '', '', ...ends])
    for (const move of step.moves) {
      const action = move.source ? (move.target ? 'move' : 'end') : 'start'
      rows.push([
        number,
        action,
        move.source || move.target,
        '',
        '',
        move.workload,
        String(move.count),
        move.source ? move.target : '',
        ...ends,
      ])
    }
    for (const node of step.gone) rows.push([number, 'remove node', node.name, node.instance_type, node.zone, '', '', '', ...ends])
  })
  return `${Papa.unparse(rows, { newline: '\r\n' })}\r\n`
}
