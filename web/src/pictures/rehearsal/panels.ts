/** The panels of a rehearsal: demand, waiting, a pool's nodes against its limits, and cost; another run beside them. Pure. */
import type { Outcome } from '../../api/rehearsal'
import type { Line, Panel } from './layout'
import { offerName } from '../../domain/rehearsal'

/** The values of another run laid on the same samples, where both have the same length of them; else it is not drawn. */
function beside(outcome: Outcome, other: Outcome | null, values: (of: Outcome) => readonly number[] | undefined): Line[] {
  const found = other && other.sample_s === outcome.sample_s && other.start_s === outcome.start_s ? values(other) : undefined
  return found ? [{ name: 'before', kind: 'before', values: found }] : []
}

/** Sums over an hour of what each sample cost. */
function hourly(of: Outcome): number[] {
  return of.cost.map((value) => (value * 3600) / of.sample_s)
}

export function panelsOf(outcome: Outcome, pool: number, other: Outcome | null, currency: string): Panel[] {
  const shown = outcome.pools[pool]
  const name = shown ? offerName(shown.offer) : ''
  const sameOf = (of: Outcome) => of.pools.find((entry) => offerName(entry.offer) === name)?.nodes
  return [
    {
      title: 'Demand',
      unit: 'in replicas’ worth: asked (red line), served (filled)',
      share: 3,
      limits: [],
      lines: [
        { name: 'served', kind: 'served', values: outcome.served },
        { name: 'asked', kind: 'asked', values: outcome.asked },
        ...beside(outcome, other, (of) => of.served),
      ],
    },
    {
      title: 'Waiting',
      unit: 'replicas without a node, mean of each sample',
      share: 2,
      limits: [],
      lines: [{ name: 'waiting', kind: 'waiting', values: outcome.waiting }, ...beside(outcome, other, (of) => of.waiting)],
    },
    ...(shown
      ? [
          {
            title: name,
            unit: 'nodes, between their limits',
            share: 3,
            limits: [
              { name: 'least' as const, at: shown.range.least },
              { name: 'most' as const, at: shown.range.most },
            ],
            lines: [{ name: 'nodes', kind: 'nodes' as const, values: shown.nodes }, ...beside(outcome, other, sameOf)],
          },
        ]
      : []),
    {
      title: 'Cost',
      unit: `${currency} an hour`,
      share: 2,
      limits: [],
      lines: [{ name: 'cost', kind: 'cost', values: hourly(outcome) }, ...beside(outcome, other, hourly)],
    },
  ]
}
