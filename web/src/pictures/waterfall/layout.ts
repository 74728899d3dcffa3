import type { TypeDetail } from '../../api/client'

/** One bar of the fall: from where to where on a scale of 0 to 1, and what it says. */
export interface Bar {
  name: string
  kind: 'capacity' | 'keeps' | 'daemon' | 'usable'
  from: number
  to: number
  amount: number
}

type Resource = 'cpu_millicores' | 'memory_bytes'

/** Bars from capacity down to usable for one resource; steps that take nothing of it are left out.
 *
 * What a node keeps is a few percent of what it has: the scale starts half the fall below usable, and `cut` says
 * whether it does.
 */
export function fall(detail: TypeDetail, resource: Resource): { bars: Bar[]; cut: boolean } {
  const whole = Math.max(detail.capacity[resource], 1)
  const left = detail.usable[resource]
  const start = Math.max(0, left - 0.5 * (whole - left))
  const place = (amount: number) => Math.max(0, amount - start) / (whole - start || 1)
  const bars: Bar[] = [{ name: 'capacity', kind: 'capacity', from: 0, to: 1, amount: whole }]
  let now = whole
  for (const step of detail.steps) {
    const amount = step[resource]
    if (!amount) continue
    bars.push({ name: step.name, kind: step.kind, from: place(now - amount), to: place(now), amount })
    now -= amount
  }
  bars.push({ name: 'usable', kind: 'usable', from: 0, to: place(now), amount: now })
  return { bars, cut: start > 0 }
}
