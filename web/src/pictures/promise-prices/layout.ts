import type { PromisePrice } from '../../api/client'

/** One promise on the scale: its price, and the span in which the price between the cheapest answers is proved to lie. */
export interface PriceBar {
  key: string
  words: string
  price: number
  share: number
  from: number
  to: number
  proved: boolean
}

/** Bars on a scale from nothing to the dearest end of any span; places are shares of the width, 0 to 1.
 *
 * A price is proved when its span does not reach down to nothing.
 */
export function priceBars(prices: PromisePrice[], cost: number): { bars: PriceBar[]; most: number } {
  const most = Math.max(1e-9, ...prices.map((entry) => Number(entry.most)), ...prices.map((entry) => Number(entry.price)))
  const bars = prices.map((entry) => ({
    key: entry.key,
    words: entry.words,
    price: Number(entry.price),
    share: cost ? Number(entry.price) / cost : 0,
    from: Math.max(0, Number(entry.least)) / most,
    to: Math.max(0, Number(entry.most)) / most,
    proved: Number(entry.least) > 0.005,
  }))
  return { bars, most }
}
