"""The browser keeps to what the headers say: nothing foreign is run, loaded, asked or framed, whatever a page is made to try."""

from __future__ import annotations

from e2e.case import BrowserCase

TRIES = """async () => {
  const refused = new Set()
  document.addEventListener('securitypolicyviolation', event => refused.add(event.effectiveDirective))
  const script = document.createElement('script')
  script.textContent = 'window.ran = "inline"'
  document.body.append(script)
  // Later, as what a browser is told to evaluate from outside may do so itself.
  setTimeout(() => { try { eval('window.ran = "eval"') } catch {} })
  document.body.insertAdjacentHTML('beforeend', '<img src="x:" onerror="window.ran = \\'attribute\\'">')
  await fetch('http://127.0.0.1:9/').catch(() => null)
  new Image().src = 'http://127.0.0.1:9/picture.png'
  const form = document.createElement('form')
  form.action = 'http://127.0.0.1:9/'
  document.body.append(form)
  form.submit()
  const frame = document.createElement('iframe')
  frame.src = '/sign-in'
  document.body.append(frame)
  await new Promise(go => setTimeout(go, 1500))
  return { refused: [...refused].sort(), ran: window.ran ?? '', framed: frame.contentDocument?.querySelector('input') != null }
}"""


class TestHeaders(BrowserCase):
    def test_a_page_that_is_made_to_run_or_fetch_something_foreign_does_not(self) -> None:
        page = self.open("planner")
        told = page.evaluate(TRIES)
        self.assertEqual((told["ran"], told["framed"]), ("", False))
        wanted = {"connect-src", "form-action", "img-src", "script-src", "script-src-attr", "script-src-elem"}
        self.assertEqual(wanted - set(told["refused"]), set())
        # Neither page nor answer is to be guessed at, framed, or told to others.
        for path in ("/", "/api/session"):
            headers = page.request.get(f"{self.live_server_url}{path}").headers
            said = [headers.get(name) for name in ("x-content-type-options", "x-frame-options", "referrer-policy")]
            self.assertEqual(said, ["nosniff", "DENY", "same-origin"], path)
            self.assertEqual(headers["cross-origin-opener-policy"], "same-origin")
        self.assertIn("no-store", page.request.get(f"{self.live_server_url}/api/session").headers["cache-control"])
