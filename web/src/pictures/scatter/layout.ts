import { median, sum } from 'd3-array'
import { scaleSqrt } from 'd3-scale'
import type { MatrixType, Workload } from '../../api/client'
import { poolHues } from '../../theme/tokens'

/** One workload as a dot: CPU to the right, memory upwards, area by replicas. */
export interface Dot {
  key: string
  name: string
  x: number
  y: number
  radius: number
  words: string
}
/** A slope of instance families: how much memory their nodes have for each CPU; families nearly alike share one. */
export interface Ray {
  family: string
  hue: string
  x: number
  y: number
  gibPerVcpu: number
}
export interface Tick {
  at: number
  text: string
}
export interface Scatter {
  dots: Dot[]
  rays: Ray[]
  across: Tick[]
  up: Tick[]
  /** Where all requests together stand, on the same slope scale. */
  whole: { x: number; y: number; gibPerVcpu: number } | null
}

const MARGIN = { left: 40, right: 12, top: 10, bottom: 26 }

/** Amounts worth a tick under a square-root scale: halves and doubles up to the largest. */
function ticks(most: number, unit: number): number[] {
  return [0, 0.25, 0.5, 1, 2, 4, 8, 16, 32, 64, 128].filter(
    (amount, _, all) => amount * unit <= most && (amount === 0 || amount * unit >= most / 40 || all.length < 3),
  )
}

/** Requests as dots under square-root scales (small ones stay apart), and families as the curve on which a node is used up evenly. */
export function layout(rows: Workload[], types: MatrixType[], level: string, width: number, height: number): Scatter {
  const placed = rows.filter((row) => row.kind !== 'daemon' && row.cpu_millicores + row.memory_bytes > 0)
  const mostCpu = Math.max(1000, ...placed.map((row) => row.cpu_millicores)) * 1.05
  const mostMemory = Math.max(2 ** 30, ...placed.map((row) => row.memory_bytes)) * 1.05
  const x = scaleSqrt([0, mostCpu], [MARGIN.left, width - MARGIN.right])
  const y = scaleSqrt([0, mostMemory], [height - MARGIN.bottom, MARGIN.top])
  const counts = placed.map((row) => row.counts[level as keyof Workload['counts']] ?? row.replicas)
  const mostCount = Math.max(1, ...counts)
  const dots = placed.map((row, place) => ({
    key: row.key,
    name: `${row.namespace}/${row.name}`,
    x: x(row.cpu_millicores),
    y: y(row.memory_bytes),
    radius: 2.5 + 7 * Math.sqrt((counts[place] ?? 0) / mostCount),
    words: `${row.namespace}/${row.name}: ${counts[place]} × ${row.cpu} CPU, ${row.memory}`,
  }))
  return {
    dots,
    rays: rays(types, mostCpu, mostMemory, x, y),
    across: ticks(mostCpu, 1000).map((vcpu) => ({ at: x(1000 * vcpu), text: String(Number(vcpu.toFixed(2))) })),
    up: ticks(mostMemory, 2 ** 30).map((gib) => ({ at: y(gib * 2 ** 30), text: String(Number(gib.toFixed(2))) })),
    whole: whole(placed, counts, mostCpu, mostMemory, x, y),
  }
}

type Scale = (amount: number) => number

/** The end of a slope's line at the frame (a line through the corner stays straight when both scales are square roots). */
function rays(types: MatrixType[], mostCpu: number, mostMemory: number, x: Scale, y: Scale): Ray[] {
  const families = new Map<string, number[]>()
  for (const type of types)
    if (type.usable_cpu_millicores > 0 && type.usable_memory_bytes > 0)
      families.set(type.family, [...(families.get(type.family) ?? []), type.usable_memory_bytes / type.usable_cpu_millicores])
  const sorted = [...families].map(([family, slopes]) => ({ family, slope: median(slopes) ?? 0 })).sort((a, b) => a.slope - b.slope)
  const merged: { names: string[]; slope: number }[] = []
  for (const { family, slope } of sorted) {
    const last = merged[merged.length - 1]
    if (last && slope / last.slope < 1.12) last.names.push(family)
    else merged.push({ names: [family], slope })
  }
  return merged.slice(0, 8).map(({ names, slope }, place) => {
    const cpu = Math.min(mostCpu, mostMemory / slope)
    return {
      family: names.length > 3 ? `${names.slice(0, 3).join(', ')} …` : names.join(', '),
      hue: poolHues[place % poolHues.length] ?? '',
      x: x(cpu),
      y: y(cpu * slope),
      gibPerVcpu: (1000 * slope) / 2 ** 30,
    }
  })
}

function whole(rows: Workload[], counts: number[], mostCpu: number, mostMemory: number, x: Scale, y: Scale): Scatter['whole'] {
  const cpu = sum(rows, (row, place) => row.cpu_millicores * (counts[place] ?? 0))
  const memory = sum(rows, (row, place) => row.memory_bytes * (counts[place] ?? 0))
  if (!cpu || !memory) return null
  const scale = 0.82 * Math.min(mostCpu / cpu, mostMemory / memory)
  return { x: x(cpu * scale), y: y(memory * scale), gibPerVcpu: (1000 * memory) / cpu / 2 ** 30 }
}

export const frame = MARGIN
