/** Offer a text to the browser as a file. */
export function save(text: string, name: string, kind: string): void {
  const address = URL.createObjectURL(new Blob([text], { type: kind }))
  const link = document.createElement('a')
  link.href = address
  link.download = name
  link.click()
  URL.revokeObjectURL(address)
}
