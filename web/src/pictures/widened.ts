/** A range with some room at both ends, and never without any width: at least so large a part of its upper end, and at least so much. */
export function widened(
  [low = 0, high = 0]: [number, number] | [undefined, undefined],
  room: number,
  part = 0.01,
  least = 0.1,
): [number, number] {
  const wide = Math.max(high - low, Math.abs(high) * part, least)
  return [low - room * wide, high + room * wide]
}
