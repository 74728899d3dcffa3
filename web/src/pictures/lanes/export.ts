/** The picture as a file: the drawn SVG with its computed styles written into it. */
const PROPERTIES = ['fill', 'stroke', 'stroke-width', 'opacity', 'font-family', 'font-size', 'font-weight', 'text-anchor', 'paint-order']

export function svgText(picture: SVGSVGElement): string {
  const copy = picture.cloneNode(true) as SVGSVGElement
  const from = [picture, ...picture.querySelectorAll<SVGElement>('*')]
  const to = [copy, ...copy.querySelectorAll<SVGElement>('*')]
  from.forEach((element, place) => {
    const style = getComputedStyle(element)
    const target = to[place]
    if (!target) return
    for (const name of PROPERTIES) target.setAttribute(name, style.getPropertyValue(name))
    for (const name of ['class', 'tabindex', 'role', 'aria-pressed']) target.removeAttribute(name)
    for (const { name } of [...target.attributes]) if (name.startsWith('data-v-')) target.removeAttribute(name)
  })
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  copy.setAttribute('role', 'img')
  return `<?xml version="1.0" encoding="UTF-8"?>\n${new XMLSerializer().serializeToString(copy)}\n`
}

/** Offer a text to the browser as a file. */
export function save(text: string, name: string, kind: string): void {
  const address = URL.createObjectURL(new Blob([text], { type: kind }))
  const link = document.createElement('a')
  link.href = address
  link.download = name
  link.click()
  URL.revokeObjectURL(address)
}
