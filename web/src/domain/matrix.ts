import type { Matrix, MatrixType } from '../api/client'

/** One zone's offer of a type for the kind of purchase shown. */
export interface Cell {
  state: 'offered' | 'out' | 'missing'
  price: number
  text: string
  mostNodes: number | null
}

/** A type's row with what is sorted and filtered by worked out once. */
export interface Row {
  type: MatrixType
  cells: Cell[]
  perVcpu: number
  perGib: number
  everywhere: boolean
}

export interface Filter {
  find: string
  family: string | null
  architecture: string | null
  leastVcpu: number | null
  mostVcpu: number | null
  mostPerVcpu: number | null
  mostPerGib: number | null
  onlyEverywhere: boolean
  sort: 'family' | 'perVcpu' | 'perGib' | 'size'
}

export const noFilter: Filter = {
  find: '',
  family: null,
  architecture: null,
  leastVcpu: null,
  mostVcpu: null,
  mostPerVcpu: null,
  mostPerGib: null,
  onlyEverywhere: false,
  sort: 'family',
}

const GIB = 2 ** 30

/** Rows for one kind of purchase; prices per usable vCPU and GiB, the cheapest zone used counts. O(types × offers). */
export function rowsOf(matrix: Matrix, purchase: number, used: string[]): Row[] {
  const uses = matrix.zones.map((zone) => used.includes(zone))
  return matrix.types.map((type) => {
    const cells: Cell[] = matrix.zones.map(() => ({ state: 'missing', price: Infinity, text: '', mostNodes: null }))
    for (const [zone, kind, price, mostNodes, inStock] of type.offers) {
      if (kind === purchase) cells[zone] = { state: inStock ? 'offered' : 'out', price: Number(price), text: price, mostNodes }
    }
    const offered = cells.filter((cell, place) => uses[place] && cell.state === 'offered')
    const least = Math.min(...offered.map((cell) => cell.price))
    return {
      type,
      cells,
      perVcpu: type.usable_cpu_millicores > 0 ? (1000 * least) / type.usable_cpu_millicores : Infinity,
      perGib: type.usable_memory_bytes > 0 ? (GIB * least) / type.usable_memory_bytes : Infinity,
      everywhere: offered.length === used.length && used.length > 0,
    }
  })
}

const orders: Record<Filter['sort'], (a: Row, b: Row) => number> = {
  family: (a, b) => a.type.family.localeCompare(b.type.family) || a.type.vcpu - b.type.vcpu || a.type.name.localeCompare(b.type.name),
  perVcpu: (a, b) => a.perVcpu - b.perVcpu || a.type.name.localeCompare(b.type.name),
  perGib: (a, b) => a.perGib - b.perGib || a.type.name.localeCompare(b.type.name),
  size: (a, b) => a.type.vcpu - b.type.vcpu || a.type.name.localeCompare(b.type.name),
}

/** The rows that pass a filter, in its order; what is not sold at all by this kind of purchase is left out. */
export function filtered(rows: Row[], filter: Filter): Row[] {
  const find = filter.find.trim().toLowerCase()
  const pass = rows.filter(
    ({ type, cells, everywhere, perVcpu, perGib }) =>
      cells.some((cell) => cell.state !== 'missing') &&
      (!find || type.name.toLowerCase().includes(find)) &&
      (!filter.family || type.family === filter.family) &&
      (!filter.architecture || type.architecture === filter.architecture) &&
      (filter.leastVcpu === null || type.vcpu >= filter.leastVcpu) &&
      (filter.mostVcpu === null || type.vcpu <= filter.mostVcpu) &&
      (filter.mostPerVcpu === null || perVcpu <= filter.mostPerVcpu) &&
      (filter.mostPerGib === null || perGib <= filter.mostPerGib) &&
      (!filter.onlyEverywhere || everywhere),
  )
  return pass.sort(orders[filter.sort])
}

/** Which families and architectures there are, in order. */
export function kindsOf(matrix: Matrix): { families: string[]; architectures: string[] } {
  const unique = (names: string[]) => [...new Set(names)].sort()
  return { families: unique(matrix.types.map((type) => type.family)), architectures: unique(matrix.types.map((type) => type.architecture)) }
}
