// Package browser drives the console in headless Chromium, for the tests and for the pictures in docs/screenshots.
package browser

import (
	"context"
	"fmt"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Step is something done in the browser; it waits for what it needs.
type Step = chromedp.Action[chromedp.Void]

// Browser is one Chromium with one page.
type Browser struct {
	ctx      context.Context
	address  string
	profile  string
	cancels  []context.CancelFunc
	mu       sync.Mutex
	problems []string
}

// Start starts Chromium at a size, looking at the console of the service at an address.
func Start(ctx context.Context, address string, width, height int) (*Browser, error) {
	profile, err := os.MkdirTemp("", "arbora-chromium-")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("/usr/bin/chromium"), chromedp.NoSandbox, chromedp.UserDataDir(profile),
		chromedp.WindowSize(width, height),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("hide-scrollbars", true),
	)
	b := &Browser{address: address, profile: profile}
	allocator, cancel := chromedp.NewExecAllocator(ctx, options...)
	b.cancels = append(b.cancels, cancel)
	b.ctx, cancel = chromedp.NewContext(allocator)
	b.cancels = append(b.cancels, cancel)
	if err := chromedp.Do(b.ctx, chromedp.EmulateViewport(int64(width), int64(height))); err != nil {
		b.Close()
		return nil, fmt.Errorf("chromium does not start: %w", err)
	}
	go b.answerDialogs()
	messages := chromedp.Console(b.ctx)
	go func() {
		for message, err := range messages {
			if err != nil {
				return // the browser was closed
			}
			if message.IsException() || message.Type == "error" || message.Type == "warning" {
				b.complain(message)
			}
		}
	}()
	return b, nil
}

// answerDialogs lets a page be left that asks before it is, and keeps that as a complaint: a dialog of the browser stops the page.
func (b *Browser) answerDialogs() {
	for opened, err := range chromedp.Events(b.ctx, page.JavascriptDialogOpening) {
		if err != nil {
			return // the browser was closed
		}
		b.mu.Lock()
		b.problems = append(b.problems, fmt.Sprintf("a dialog of the browser (%s) stopped the page: %s", opened.Type, opened.Message))
		b.mu.Unlock()
		// By another goroutine than the one that receives events. What fails here shows as a step that never ends.
		go chromedp.Do(b.ctx, chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
			_, err := cdp.Call(ctx, t, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: true})
			return err
		}))
	}
}

// Close ends Chromium.
func (b *Browser) Close() {
	for i := len(b.cancels) - 1; i >= 0; i-- {
		b.cancels[i]()
	}
	os.RemoveAll(b.profile) // a profile left behind in the temporary folder harms nothing
}

// complain keeps what the page complains about; that a request was refused is the business of whoever drives it.
func (b *Browser) complain(m chromedp.ConsoleMessage) {
	if m.Source == "network" {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.problems = append(b.problems, m.String())
}

// Complaints returns the errors and warnings the page has logged so far.
func (b *Browser) Complaints() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]string{}, b.problems...)
}

// patience bounds how long a page may take to show what is waited for, on a slow machine.
const patience = time.Minute

// Do runs steps in order.
func (b *Browser) Do(steps ...Step) error {
	for i, step := range steps {
		ctx, cancel := context.WithTimeout(b.ctx, patience)
		err := chromedp.Do(ctx, step)
		cancel()
		if err != nil {
			ctx, cancel := context.WithTimeout(b.ctx, patience)
			text, _ := chromedp.Run(ctx, chromedp.Evaluate[string](`document.body.innerText`))
			cancel()
			return fmt.Errorf("step %d: %w; the page says: %.2000s", i+1, err, text)
		}
	}
	return nil
}

// Picture takes the page as PNG.
func (b *Browser) Picture() ([]byte, error) {
	return chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
}

// Location returns the page's address after the #.
func (b *Browser) Location() (string, error) {
	return chromedp.Run(b.ctx, chromedp.Evaluate[string](`decodeURI(location.hash.slice(1))`))
}

// Open opens a page of the console by its address after the #.
func (b *Browser) Open(page string) Step {
	// A change of what is after the # alone loads nothing: leave first.
	return chromedp.Steps(chromedp.Navigate("about:blank"), chromedp.Navigate(b.address+"/#"+page))
}

// SignIn signs in on the sign-in page and waits for the answer: who leaves before it is not signed in.
func (b *Browser) SignIn(name, password string) Step {
	page := "/tree"
	if !strings.Contains(name, "@") {
		page = "/" // a keeper sees no tree
	}
	return chromedp.Steps(
		b.Open(page),
		Type(`input[name=name]`, name),
		Type(`input[name=password]`, password),
		Press("Sign in"),
		wait(`!document.querySelector("input[name=password]") || document.querySelector("[role=alert]")`),
	)
}

// SignOut signs out by the header's button.
func SignOut() Step {
	return chromedp.Steps(Press("Sign out"), Visible(`input[name=password]`))
}

// Press clicks the button or link with a text.
func Press(text string) Step {
	path := fmt.Sprintf(`//*[(self::button or self::a) and not(@disabled)][normalize-space()=%q]`, text)
	find := fmt.Sprintf(`document.evaluate(%q, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue`, path)
	return chromedp.Steps(chromedp.WaitVisible(path), hit(find, chromedp.Click(path, chromedp.NodeVisible)))
}

// Click clicks the first element of a selector, once it can be.
func Click(selector string) Step {
	find := fmt.Sprintf(`document.querySelector(%q)`, selector)
	return chromedp.Steps(chromedp.WaitEnabled(chromedp.CSS(selector)), hit(find, chromedp.Click(chromedp.CSS(selector), chromedp.NodeVisible)))
}

// hit clicks an element, and again where the click went beside it: it goes to a point, from which the element may have moved meanwhile.
func hit(find string, click Step) Step {
	watch := chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`window.clickHit = false; document.addEventListener("pointerdown", (event) => {
		const e = %s; // its label stands for a choice
		window.clickHit = Boolean(e && (e.contains(event.target) || event.target.closest?.("label")?.control === e));
	}, { capture: true, once: true })`, find))
	landed := chromedp.Evaluate[bool](`window.clickHit !== false`) // another page knows of none
	return func(ctx context.Context, t *chromedp.Target) (none chromedp.Void, err error) {
		for range 5 {
			for _, step := range []Step{still(find), watch, click} {
				if _, err := step(ctx, t); err != nil {
					return none, err
				}
			}
			if ok, err := landed(ctx, t); ok || err != nil && strings.Contains(err.Error(), "-32000") {
				return none, nil
			} else if err != nil {
				return none, err
			}
		}
		return none, fmt.Errorf("clicks do not reach %s", find)
	}
}

// still waits until an element stays where it is: a click goes to a point, and what lies above the element may still be coming.
func still(find string) Step {
	return wait(`((e) => {
		if (!e) return false;
		const { x, y, width } = e.getBoundingClientRect(), at = [x, y, width].join(), before = e.stoodAt;
		e.stoodAt = at;
		return at === before;
	})(` + find + `)`)
}

// Visible waits until an element is to be seen.
func Visible(selector string) Step { return chromedp.WaitVisible(chromedp.CSS(selector)) }

// Hidden waits until an element is not shown.
func Hidden(selector string) Step { return chromedp.WaitNotVisible(chromedp.CSS(selector)) }

// See waits until an element of a selector holds a text.
func See(selector, text string) Step { return poll("", selector, text) }

// SeeNot waits until no element of a selector holds a text.
func SeeNot(selector, text string) Step { return poll("!", selector, text) }

// Holds waits until a field holds a text.
func Holds(selector, text string) Step {
	return wait(fmt.Sprintf(`document.querySelector(%q)?.value === %q`, selector, text))
}

func poll(not, selector, text string) Step {
	script := fmt.Sprintf(`%s[...document.querySelectorAll(%q)].some((e) => (e.innerText ?? e.textContent).replace(/\s+/g, " ").includes(%q))`, not, selector, text)
	return wait(script)
}

// wait waits until an expression is true. Where another page comes meanwhile, it is asked there.
func wait(script string) Step {
	ask := chromedp.Poll[chromedp.Void](script, chromedp.WithPollingInterval(50*time.Millisecond), chromedp.WithPollingTimeout(patience))
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		for {
			answer, err := ask(ctx, t)
			if err == nil || ctx.Err() != nil || !strings.Contains(err.Error(), "-32000") {
				return answer, err
			}
		}
	}
}

// Leave presses what an element of a selector is, and the page goes.
func Leave(selector string) Step {
	return Script(fmt.Sprintf("setTimeout(() => document.querySelector(%q).click())", selector))
}

// Script runs a script in the page.
func Script(script string) Step { return chromedp.Evaluate[chromedp.Void]("void (" + script + ")") }

// Until waits until an expression of the page is true.
func Until(expression string) Step { return wait(expression) }

// Closed waits until no dialog is open any more: while one closes, it still takes clicks.
func Closed() Step {
	return wait(`!document.querySelector("dialog[open]")`)
}

// Type replaces what a field holds. What it offers for that is passed over, so that it lies over nothing.
func Type(selector, text string) Step {
	pass := fmt.Sprintf(`{ const field = document.querySelector(%q); if (field?.ariaExpanded === "true") field.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true, cancelable: true })); }`, selector)
	return chromedp.Steps(Write(selector, text), chromedp.Evaluate[chromedp.Void](pass))
}

// Write replaces what a field holds, and leaves open what the field offers for that.
func Write(selector, text string) Step {
	choose := fmt.Sprintf(`{ const field = document.querySelector(%q); field.focus(); field.select(); }`, selector)
	if text == "" {
		text = kb.Delete
	}
	return chromedp.Steps(Visible(selector), chromedp.Evaluate[chromedp.Void](choose), chromedp.KeyEvent(text))
}

// Change goes to another page of the console as a link does, and gives how long it takes until that is drawn which the page is
// for. The page that is left must not show it.
func (b *Browser) Change(page, shows string) (time.Duration, error) {
	script := fmt.Sprintf(`new Promise((done) => {
		const began = performance.now();
		const watch = new MutationObserver(() => {
			if (!document.querySelector(%q)) return;
			watch.disconnect();
			requestAnimationFrame(() => done(performance.now() - began));
		});
		watch.observe(document.body, { subtree: true, childList: true });
		location.hash = %q;
	})`, shows, "#"+page)
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	ms, err := chromedp.Run(ctx, chromedp.Evaluate[float64](script, chromedp.EvalAwaitPromise))
	return time.Duration(ms * float64(time.Millisecond)), err
}

// Text returns what the first element of a selector says.
func (b *Browser) Text(selector string) (string, error) {
	return chromedp.Run(b.ctx, chromedp.Evaluate[string](fmt.Sprintf(`document.querySelector(%q).innerText.trim()`, selector)))
}

// Count returns how many elements of a selector the page has.
func (b *Browser) Count(selector string) (int, error) {
	return chromedp.Run(b.ctx, chromedp.Evaluate[int](fmt.Sprintf(`document.querySelectorAll(%q).length`, selector)))
}

// Overflows reports whether the page is wider than its window.
func (b *Browser) Overflows() (bool, error) {
	return chromedp.Run(b.ctx, chromedp.Evaluate[bool](`document.documentElement.scrollWidth > innerWidth`))
}

// ScrollDown scrolls a list down, each time as far as it goes by then, until it holds a text.
func ScrollDown(list, text string) Step {
	return wait(fmt.Sprintf(`((list) => {
		if (list.innerText.includes(%q)) return true;
		list.scrollTop = list.scrollHeight;
		return false;
	})(document.querySelector(%q))`, text, list))
}

// Device returns Chromium a device that keeps passkeys and says that its owner is there.
func Device() Step {
	return func(ctx context.Context, t *chromedp.Target) (none chromedp.Void, err error) {
		if _, err = cdp.Call(ctx, t, webauthn.Enable, webauthn.EnableParams{}); err != nil {
			return none, err
		}
		_, err = cdp.Call(ctx, t, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{Options: &webauthn.VirtualAuthenticatorOptions{
			Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal,
			HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
		}})
		return none, err
	}
}

// Dark turns dark colours on or off.
func Dark(on bool) Step {
	return chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`void document.documentElement.classList.toggle("dark", %t)`, on))
}

// Settle waits until fonts are there and nothing moves any more, but for what moves for ever, such as a cursor.
func Settle() Step {
	return chromedp.Evaluate[chromedp.Void](`Promise.all([document.fonts.ready, ...document.getAnimations().filter((a) => a.effect?.getTiming().iterations !== Infinity).map((a) => a.finished.catch(() => {}))])
		.then(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done()))))`, chromedp.EvalAwaitPromise)
}

// Keys that [Keys] presses.
const (
	Down   = kb.ArrowDown
	Right  = kb.ArrowRight
	Enter  = kb.Enter
	Escape = kb.Escape
	Up     = kb.ArrowUp
	Left   = kb.ArrowLeft
)

// Keys returns an element the focus and presses keys.
func Keys(selector string, keys ...string) Step {
	field := chromedp.CSS(selector)
	steps := []Step{chromedp.WaitVisible(field), chromedp.Focus(field)}
	for _, key := range keys {
		steps = append(steps, chromedp.KeyEvent(key))
	}
	return chromedp.Steps(steps...)
}

// Drag drags an element onto another.
func Drag(from, onto string) Step {
	script := fmt.Sprintf(`{
		const transfer = new DataTransfer();
		const tell = (name, element) => element.dispatchEvent(new DragEvent(name, { bubbles: true, cancelable: true, dataTransfer: transfer }));
		const from = document.querySelector(%q), onto = document.querySelector(%q);
		tell("dragstart", from);
		tell("dragover", onto);
		tell("drop", onto);
		tell("dragend", from);
	}`, from, onto)
	return chromedp.Steps(Visible(from), Visible(onto), chromedp.Evaluate[chromedp.Void](script))
}

// Stroke strikes a key wherever the page is.
func Stroke(key string) Step { return chromedp.KeyEvent(key) }

// WithShift strikes a key while Shift is held down.
func WithShift(key string) Step {
	return chromedp.KeyEvent(key, chromedp.KeyModifiers(chromedp.ModifierShift))
}

// HoldBack has the pages opened from now on wait for the answers to requests whose path ends so, until [LetThrough].
func HoldBack(path string) Step {
	hold := page.AddScriptToEvaluateOnNewDocumentParams{Source: `if (location.protocol.startsWith("http") && sessionStorage.heldBack) {
		const fetched = fetch;
		const through = new Promise((go) => (window.letThrough = go));
		window.fetch = async (...asked) => {
			if (new URL(asked[0].url ?? asked[0], location).pathname.endsWith(sessionStorage.heldBack)) await through;
			return fetched(...asked);
		};
	}`}
	return chromedp.Steps(
		func(ctx context.Context, t *chromedp.Target) (none chromedp.Void, err error) {
			_, err = cdp.Call(ctx, t, page.AddScriptToEvaluateOnNewDocument, hold)
			return none, err
		},
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`void (sessionStorage.heldBack = %q)`, path)),
	)
}

// LetThrough lets the page have what it was held back.
func LetThrough() Step {
	return chromedp.Evaluate[chromedp.Void](`{ letThrough(); sessionStorage.removeItem("heldBack"); }`)
}

// Width sets how wide the page is, in pixels.
func Width(width int64) Step { return chromedp.EmulateViewport(width, 800) }

// Axe runs axe-core, given as its script, on the page and tells each serious or critical fault with where it is.
func (b *Browser) Axe(script string) ([]string, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.Evaluate[chromedp.Void](script+";void 0")); err != nil {
		return nil, err
	}
	return chromedp.Run(ctx, chromedp.Evaluate[[]string](`axe.run().then((found) => found.violations
		.filter((v) => v.impact === "serious" || v.impact === "critical")
		.map((v) => v.id + ": " + v.help + ": " + v.nodes.map((n) => n.html.slice(0, 160) + " " + (n.any[0]?.message ?? "")).slice(0, 3).join(" | ")))`,
		chromedp.EvalAwaitPromise))
}

// Choose hands a file of this computer to a field that takes one.
func Choose(selector, file string) Step {
	return chromedp.SetUploadFiles(chromedp.CSS(selector), []string{file})
}

// KeepFiles has the page keep what it saves as files, for [Saved].
func KeepFiles() Step {
	return chromedp.Evaluate[chromedp.Void](`{
		window.savedFiles = [];
		const made = URL.createObjectURL;
		URL.createObjectURL = (blob) => (void blob.text().then((text) => window.savedFiles.push(text)), made.call(URL, blob));
	}`)
}

// Saved waits until the page has saved a file that is exactly a text.
func Saved(text string) Step { return wait(fmt.Sprintf(`window.savedFiles?.includes(%q)`, text)) }
