// The component library makes style elements without a nonce; the page's policy asks for one.
const nonce =
  document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.nonce ||
  document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content
if (nonce) {
  const create = document.createElement.bind(document)
  document.createElement = ((tag: string, options?: ElementCreationOptions) => {
    const element = create(tag, options)
    if (tag === 'style') element.nonce = nonce
    return element
  }) as typeof document.createElement
}
export {}
