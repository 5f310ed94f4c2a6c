package serve

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"image"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"tourmaline/core/window"
)

// names are the browsers that are looked for on the usual path, and places where they lie on others.
var names = []string{"chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "microsoft-edge",
	"firefox",
	"firefox-esr"}

func places() (out []string) {
	switch runtime.GOOS {
	case "darwin":
		for _, app := range []string{"Google Chrome", "Chromium", "Microsoft Edge"} {
			out = append(out, "/Applications/"+app+".app/Contents/MacOS/"+app)
		}
		return append(out, "/Applications/Firefox.app/Contents/MacOS/firefox")
	case "windows":
		for _, folder := range []string{os.Getenv("ProgramFiles"), os.Getenv("ProgramFiles(x86)"),
			os.Getenv("LocalAppData")} {
			for _, app := range []string{`Google\Chrome\Application\chrome.exe`, `Microsoft\Edge\Application\msedge.exe`,
				`Chromium\Application\chrome.exe`, `Mozilla Firefox\firefox.exe`} {
				if folder != "" {
					out = append(out, filepath.Join(folder, app))
				}
			}
		}
	}
	return out
}

// ErrNoBrowser says that none was found.
var ErrNoBrowser = errors.New("no browser was found; name one with --browser or a WebDriver with --driver; " +
	"measure --open takes any that you open")

// FindBrowser is the path of a browser: that of the name, else the first of those that are known.
func FindBrowser(name string) (string, error) {
	if name != "" {
		p, err := exec.LookPath(name)
		if err != nil {
			return "", fmt.Errorf("--browser: %s cannot be run: %w", name, err)
		}
		return p, nil
	}
	for _, n := range names {
		if p, err := exec.LookPath(n); err == nil {
			return p, nil
		}
	}
	for _, p := range places() {
		if st, err := os.Stat(p); err == nil && !st.IsDir() {
			return p, nil
		}
	}
	return "", ErrNoBrowser
}

var errClosed = errors.New("it closed by itself")

// Started is a browser of ours, with a fresh profile.
type Started struct {
	Ended   <-chan error
	gone    <-chan struct{}
	profile string
	cancel  context.CancelFunc
}

// Launch says how a browser is started.
type Launch struct {
	Browser string       // its path
	Density float64      // device px per CSS px that it draws; 0 is 1
	Modes   window.Modes // that are on: of touch, pages are told that there is no mouse
	Hosts   []string     // that it may reach beside ours
	// Shot is a PNG file that it is to write when the address has loaded, in a window of Size CSS px; then it
	// ends. "": none.
	Shot string
	Size image.Point
}

// mostTemp is how long the path of a browser's temporary folder may be: it puts sockets there, whose paths have 107
// bytes at most.
const mostTemp = 56

// Start opens an address in a browser without a window. Nothing but the address's own host, and the hosts
// that are named, can be reached from it. Stop ends it and removes its profile.
func Start(ctx context.Context, l Launch, address string) (*Started, error) {
	profile, err := os.MkdirTemp("", "tourmaline-browser-*")
	if err != nil {
		return nil, err
	}
	if l.Size == (image.Point{}) {
		l.Size = image.Pt(1300, 900)
	}
	l.Density = cmp.Or(l.Density, 1)
	var args []string
	if l.firefox() {
		if err := os.WriteFile(filepath.Join(profile, "user.js"), []byte(l.preferences()), 0o600); err != nil {
			return nil, errors.Join(err, os.RemoveAll(profile))
		}
		args = []string{"--headless", "--no-remote", "--profile", profile}
		if l.Shot != "" {
			args = append(args, "--screenshot", l.Shot, fmt.Sprintf("--window-size=%d,%d", l.Size.X, l.Size.Y))
		}
	} else {
		args = l.arguments(profile)
	}
	args = append(args, address)
	ctx, cancel := context.WithCancel(ctx)
	cmd := exec.CommandContext(ctx, l.Browser, args...)
	cmd.WaitDelay = 3 * time.Second
	if runtime.GOOS == "linux" && len(profile) < mostTemp { // what it leaves there goes with the profile
		cmd.Env = append(os.Environ(), "TMPDIR="+profile)
	}
	grouped(cmd)
	if err := cmd.Start(); err != nil {
		cancel()
		return nil, errors.Join(fmt.Errorf("%s cannot be started: %w", l.Browser, err), os.RemoveAll(profile))
	}
	ended, gone := make(chan error, 1), make(chan struct{})
	go func() {
		err := cmd.Wait()
		if err == nil {
			err = errClosed
		}
		ended <- err
		close(gone)
	}()
	return &Started{Ended: ended, gone: gone, profile: profile, cancel: cancel}, nil
}

func (l *Launch) firefox() bool {
	return strings.Contains(strings.ToLower(filepath.Base(l.Browser)), "firefox")
}

// can reports whether it is known how the browser turns on some modes.
func (l *Launch) can(modes window.Modes) bool {
	return !slices.ContainsFunc(modes.Each(), func(m *window.Mode) bool {
		return l.firefox() && m.Firefox == "" || !l.firefox() && m.Chromium == ""
	})
}

// preferences are Firefox's.
func (l *Launch) preferences() string {
	prefs, pointer := "", 6 // fine, and hovers
	if l.Modes&window.Touch != 0 {
		pointer = 1
	}
	for _, m := range (l.Modes &^ window.Touch).Each() {
		prefs += "user_pref(" + m.Firefox + ");\n"
	}
	for _, p := range []string{`"network.proxy.type", 1`, `"network.proxy.http", "127.0.0.1"`, `"network.proxy.http_port", 9`,
		`"network.proxy.ssl", "127.0.0.1"`, `"network.proxy.ssl_port", 9`,
		fmt.Sprintf(`"network.proxy.no_proxies_on", %q`, strings.Join(append(l.Hosts, "127.0.0.1"), ", ")),
		fmt.Sprintf(`"layout.css.devPixelsPerPx", "%g"`, l.Density),
		fmt.Sprintf(`"ui.primaryPointerCapabilities", %d`, pointer), fmt.Sprintf(`"ui.allPointerCapabilities", %d`, pointer), `"gfx.color_management.mode", 1`,
		`"gfx.color_management.force_srgb", true`, `"image.decode-immediately.enabled", true`,
		`"browser.shell.checkDefaultBrowser", false`, `"datareporting.policy.dataSubmissionEnabled", false`,
		`"toolkit.telemetry.reportingpolicy.firstRun", false`, `"app.update.enabled", false`,
		`"browser.startup.homepage_override.mstone", "ignore"`, `"layout.testing.overlay-scrollbars.always-visible", false`,
		`"widget.non-native-theme.scrollbar.size.override", 0`, `"ui.useOverlayScrollbars", 1`} {
		prefs += "user_pref(" + p + ");\n"
	}
	return prefs
}

// arguments are Chromium's, and of what is made from it.
func (l *Launch) arguments(profile string) []string {
	rules := "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"
	for _, h := range l.Hosts {
		rules += ", EXCLUDE " + h
	}
	settings := []string{"primaryHoverType=2,availableHoverTypes=2,primaryPointerType=4,availablePointerTypes=4"}
	if l.Modes&window.Touch != 0 {
		settings = nil
	}
	for _, m := range l.Modes.Each() {
		settings = append(settings, m.Chromium)
	}
	args := []string{"--headless=new", "--disable-gpu", "--hide-scrollbars", "--no-first-run",
		"--no-default-browser-check",
		"--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-extensions",
		"--disable-background-timer-throttling", "--disable-renderer-backgrounding", "--mute-audio",
		"--host-resolver-rules=" + rules,
		"--blink-settings=" + strings.Join(settings, ","),
		fmt.Sprintf("--window-size=%d,%d", l.Size.X, l.Size.Y), "--user-data-dir=" + profile,
		fmt.Sprintf("--force-device-scale-factor=%g", l.Density)}
	if l.Shot != "" {
		args = append(args, "--screenshot="+l.Shot, "--force-color-profile=srgb", "--disable-checker-imaging",
			"--run-all-compositor-stages-before-draw")
	}
	if os.Geteuid() == 0 { // it refuses to run as root otherwise
		args = append(args, "--no-sandbox")
	}
	return args
}

// Stop ends the browser and removes its profile.
func (b *Started) Stop() error {
	b.cancel()
	select {
	case <-b.gone:
	case <-time.After(5 * time.Second):
	}
	var err error
	for range 40 { // its children may still be writing
		if err = os.RemoveAll(b.profile); err == nil {
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return err
}
