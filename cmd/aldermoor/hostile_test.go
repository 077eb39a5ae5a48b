package main

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"context"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"os/exec"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"
)

// One artist, one program, one silent webhook and nobody in particular ask for all that they can while a librarian
// works: her deliveries are sorted, her pages come, no memory runs away, and when they stop nothing is left stuck.
//
// The test is small. HOSTILE=10m makes it long, with sets of 1K, and holds it against the figures that a studio needs
// (make hostile).
func TestHostileMinutes(t *testing.T) {
	if _, err := os.Stat("/proc/self/status"); err != nil {
		t.Skip("memory is read from /proc")
	}
	long, px, sets := 6*time.Second, 96, 3
	full := os.Getenv("HOSTILE") != ""
	if full {
		var err error
		if long, err = time.ParseDuration(os.Getenv("HOSTILE")); err != nil {
			t.Fatal(err)
		}
		px, sets = 1024, 6
	}
	bin, data := program(t), t.TempDir()
	tokens := accounts(t, bin, data, map[string]string{"lena": "librarian", "arno": "artist", "ada": "administrator"})
	s := serve(t, bin, data)
	defer s.kill()
	files := t.TempDir()
	if out, err := exec.Command(bin, "station", "--out", files, "--sets", strconv.Itoa(sets), "--size", strconv.Itoa(px), "--seed", "7").CombinedOutput(); err != nil {
		t.Fatalf("station: %v\n%s", err, out)
	}
	lena := librarian{t: t, url: s.url, token: tokens["lena"]}
	alone := lena.deliver(zipped(t, files))
	lena.release()

	ctx, stop := context.WithTimeout(t.Context(), long)
	defer stop()
	h := newHostile(t, s.url, tokens["arno"], tokens["ada"])
	var wg sync.WaitGroup
	h.run(ctx, &wg)
	var worst time.Duration
	deliveries := 0
	var pages []time.Duration
	var mu sync.Mutex
	wg.Go(func() {
		for n := 0; ctx.Err() == nil; n++ {
			path := []string{"/intake", "/bench", "/library", "/jobs"}[n%4]
			start := time.Now()
			status := lena.page(path)
			took := time.Since(start)
			mu.Lock()
			pages = append(pages, took)
			mu.Unlock()
			if status != http.StatusOK {
				t.Errorf("her page %s: %d", path, status)
			}
			select {
			case <-ctx.Done():
			case <-time.After(250 * time.Millisecond):
			}
		}
	})
	for ctx.Err() == nil {
		took := lena.deliver(zipped(t, files))
		worst = max(worst, took)
		deliveries++
	}
	wg.Wait()
	h.silent.Close()

	for what, n := range h.counts() {
		t.Logf("%-44s %s", what, n)
	}
	slices.Sort(pages)
	p95 := pages[len(pages)*95/100]
	memory := peak(t, s.cmd.Process.Pid)
	t.Logf("her delivery: %.1f s alone, %.1f s at worst of %d; her pages: p95 %d ms of %d; memory %d MB", alone.Seconds(), worst.Seconds(), deliveries, p95.Milliseconds(), len(pages), memory>>20)
	if full {
		if worst > 3*alone {
			t.Errorf("her delivery took %.1f times as long as alone", worst.Seconds()/alone.Seconds())
		}
		if p95 > 400*time.Millisecond {
			t.Errorf("her pages took %v at p95", p95)
		}
		if memory > 2560<<20 {
			t.Errorf("the server took %d MB", memory>>20)
		}
	}
	// Nothing is stuck: what was asked for is done or cancelled, and what runs ends.
	h.cancelAll(lena.token)
	for end := time.Now().Add(4 * time.Minute); ; time.Sleep(200 * time.Millisecond) {
		status, jobs, err := ask(s.url, lena.token, "GET", "/api/v1/jobs", nil, "")
		if err != nil || status != 200 {
			t.Fatal(status, err)
		}
		left := 0
		for _, l := range jobs["lanes"].([]any) {
			if lane := l.(map[string]any); lane["name"] != "webhooks" { // its messages wait for a receiver that never comes
				left += int(lane["running"].(float64)) + int(lane["waiting"].(float64))
			}
		}
		if left == 0 {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("%d jobs are left: %v", left, jobs)
		}
	}
	s.kill()
	var own syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &own); err != nil {
		t.Fatal(err)
	}
	t.Logf("CPU: the server %.0f s, this test %.0f s", s.cmd.ProcessState.UserTime().Seconds()+s.cmd.ProcessState.SystemTime().Seconds(), float64(own.Utime.Sec+own.Stime.Sec))
	if out, err := exec.Command(bin, "verify", "--data", data).CombinedOutput(); err != nil {
		t.Errorf("verify: %v\n%s", err, out)
	}
}

// accounts makes a data folder with accounts, and returns a token of each.
func accounts(t *testing.T, bin, data string, roles map[string]string) map[string]string {
	t.Helper()
	serve(t, bin, data).kill()
	tokens := map[string]string{}
	for name, role := range roles {
		user := exec.Command(bin, "user", "add", "--data", data, "--user", name, "--role", role)
		user.Stdin = strings.NewReader("a long password\n")
		if out, err := user.CombinedOutput(); err != nil {
			t.Fatalf("user add: %v\n%s", err, out)
		}
		secret, err := exec.Command(bin, "token", "create", "--data", data, "--user", name, "--scope", "administer").Output()
		if err != nil {
			t.Fatal(err)
		}
		tokens[name] = strings.TrimSpace(string(secret))
	}
	return tokens
}

// librarian works while others press.
type librarian struct {
	t          *testing.T
	url, token string
}

// deliver sends a zip and says how long it took until it was sorted.
func (l librarian) deliver(body []byte, kind string) time.Duration {
	start := time.Now()
	status, made, err := ask(l.url, l.token, "POST", "/api/v1/deliveries", bytes.NewReader(body), kind)
	if err != nil || status != http.StatusAccepted {
		l.t.Errorf("her delivery: %d %v", status, err)
		return 0
	}
	for end := start.Add(5 * time.Minute); ; time.Sleep(50 * time.Millisecond) {
		status, d, err := ask(l.url, l.token, "GET", made["href"].(string), nil, "")
		if err == nil && status == 200 && d["state"] == "sorted" {
			return time.Since(start)
		}
		if time.Now().After(end) {
			l.t.Errorf("her delivery is not sorted: %d %v %v", status, err, d["state"])
			return time.Since(start)
		}
	}
}

// release releases what she has delivered.
func (l librarian) release() {
	_, list, err := ask(l.url, l.token, "GET", "/api/v1/deliveries/1", nil, "")
	if err != nil {
		l.t.Fatal(err)
	}
	for _, k := range list["sets"].([]any) {
		ask(l.url, l.token, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", k.(map[string]any)["material_id"]), strings.NewReader(`{"notes":"x"}`), "application/json")
	}
}

func (l librarian) page(path string) int {
	r, _ := http.NewRequest("GET", l.url+path, nil)
	r.Header.Set("Authorization", "Bearer "+l.token)
	resp, err := (&http.Client{Timeout: 30 * time.Second}).Do(r)
	if err != nil {
		l.t.Error(err)
		return 0
	}
	defer resp.Body.Close()
	io.Copy(io.Discard, resp.Body)
	return resp.StatusCode
}

// hostile are those who ask for all that they can.
type hostile struct {
	t            *testing.T
	url          string
	artist, boss string
	silent       net.Listener // takes connections and never answers
	flat         []byte       // a PNG of 16384 × 16384 grey pixels
	mu           sync.Mutex
	answers      map[string]map[string]*atomic.Int64
}

func newHostile(t *testing.T, url, artist, boss string) *hostile {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		for {
			if _, err := l.Accept(); err != nil {
				return
			}
		}
	}()
	h := &hostile{t: t, url: url, artist: artist, boss: boss, silent: l, flat: flatPNG(16384, 16384), answers: map[string]map[string]*atomic.Int64{}}
	hook := fmt.Sprintf(`{"webhooks":[{"url":"http://%s/"}]}`, l.Addr())
	if status, _, err := ask(url, boss, "PUT", "/api/v1/webhooks", strings.NewReader(hook), "application/json"); status != 200 {
		t.Fatal(status, err)
	}
	return h
}

// ask sends a request and counts what was answered; a server's own error is one of the test.
func (h *hostile) ask(what, token, method, path string, body io.Reader, headers ...string) {
	r, err := http.NewRequest(method, h.url+path, body)
	if err != nil {
		h.t.Error(err)
		return
	}
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	r.Header.Set("If-Match", "*")
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	resp, err := (&http.Client{Timeout: 60 * time.Second}).Do(r)
	word := "cut off"
	if err == nil {
		io.Copy(io.Discard, io.LimitReader(resp.Body, 64<<20))
		resp.Body.Close()
		if word = strconv.Itoa(resp.StatusCode); resp.StatusCode >= 500 && resp.StatusCode != http.StatusServiceUnavailable {
			h.t.Errorf("%s: %s", what, resp.Status)
		}
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.answers[what] == nil {
		h.answers[what] = map[string]*atomic.Int64{}
	}
	if h.answers[what][word] == nil {
		h.answers[what][word] = new(atomic.Int64)
	}
	h.answers[what][word].Add(1)
}

// endless gives as many bytes as are asked for.
type endless struct{}

func (endless) Read(p []byte) (int, error) { return len(p), nil }

// run begins everything.
func (h *hostile) run(ctx context.Context, wg *sync.WaitGroup) {
	each := func(pause time.Duration, do func(n int)) {
		wg.Go(func() {
			for n := 0; ctx.Err() == nil; n++ {
				do(n)
				select {
				case <-ctx.Done():
				case <-time.After(pause):
				}
			}
		})
	}
	json := []string{"Content-Type", "application/json"}
	profiles := []string{"as_scanned", "web_small"}
	each(5*time.Millisecond, func(n int) {
		h.ask("artist: handoffs of every form", h.artist, "GET", fmt.Sprintf("/api/v1/releases/%d/handoff?profile=%s&tier=%s&normal=%s&wait=0", 1+n%6, profiles[n%2], []string{"source", "1k", "2k"}[n%3], []string{"y%2B", "y-"}[n%2]), nil)
	})
	each(50*time.Millisecond, func(n int) {
		h.ask("artist: references of 8192 px", h.artist, "GET", "/api/v1/releases/1/picture.png?quality=reference&px=8192&samples=65536", nil)
		h.ask("artist: references that are allowed", h.artist, "GET", fmt.Sprintf("/api/v1/releases/1/picture.png?quality=reference&px=1024&samples=%d", 256+n%64), nil)
	})
	each(20*time.Millisecond, func(int) {
		h.ask("artist: a flat picture of 16384² px", h.artist, "POST", "/api/v1/looks?name=flat.png", bytes.NewReader(h.flat))
	})
	each(50*time.Millisecond, func(int) {
		h.ask("artist: a list of 1 MB", h.artist, "POST", "/api/v1/collections", strings.NewReader(`{"name":"x","items":[`+strings.Repeat("1,", 500_000)+`1]}`), json...)
	})
	each(5*time.Millisecond, func(n int) {
		h.ask("artist: 300 KB to search for", h.artist, "GET", "/api/v1/library?q="+strings.Repeat("slate+", 50_000), nil)
		h.ask("artist: long questions", h.artist, "GET", fmt.Sprintf("/library?q=%s%d", strings.Repeat("sl+", 40), n), nil)
	})
	each(20*time.Millisecond, func(n int) {
		h.ask("artist: requests that a silent webhook is told of", h.artist, "POST", "/api/v1/requests", strings.NewReader(fmt.Sprintf(`{"kind":"material","title":"No. %d"}`, n)), json...)
	})
	each(0, func(n int) {
		h.ask("program: as often as it can", h.artist, "GET", fmt.Sprintf("/api/v1/library?page=%d", n), nil)
	})
	each(10*time.Millisecond, func(n int) {
		form := []string{"Content-Type", "application/x-www-form-urlencoded"}
		h.ask("nobody: wrong passwords", "", "POST", "/sign-in", strings.NewReader(fmt.Sprintf("name=lena&password=wrong%d", n)), form...)
		h.ask("nobody: a part 2,000 times", "", "GET", "/", nil, "X-Part", strings.TrimSuffix(strings.Repeat("deliveries,", 2000), ","))
	})
	each(100*time.Millisecond, func(int) {
		h.ask("nobody: a form of 1.5 GB", "", "POST", "/sign-in", io.LimitReader(endless{}, 1500<<20), "Content-Type", "multipart/form-data; boundary=x")
		h.ask("nobody: set-up with a form of 1.5 GB", "", "POST", "/setup", io.LimitReader(endless{}, 1500<<20), "Content-Type", "application/x-www-form-urlencoded")
	})
}

// counts are what was answered, in words.
func (h *hostile) counts() map[string]string {
	h.mu.Lock()
	defer h.mu.Unlock()
	out := map[string]string{}
	for what, by := range h.answers {
		var list []string
		for word, n := range by {
			list = append(list, fmt.Sprintf("%s × %d", word, n.Load()))
		}
		slices.Sort(list)
		out[what] = strings.Join(list, ", ")
	}
	return out
}

// cancelAll cancels what waits and runs and may be cancelled.
func (h *hostile) cancelAll(token string) {
	for range 2000 {
		_, jobs, err := ask(h.url, token, "GET", "/api/v1/jobs", nil, "")
		if err != nil {
			return
		}
		some := false
		for _, j := range jobs["items"].([]any) {
			if job := j.(map[string]any); job["cancels"] == true && (job["state"] == "running" || job["state"] == "waiting") {
				some = true
				ask(h.url, token, "POST", fmt.Sprintf("/api/v1/jobs/%v/cancel", job["id"]), strings.NewReader("{}"), "application/json")
			}
		}
		if !some {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// flatPNG is a picture of black pixels in a few hundred kilobytes.
func flatPNG(w, h int) []byte {
	var b bytes.Buffer
	chunk := func(kind string, data []byte) {
		binary.Write(&b, binary.BigEndian, uint32(len(data)))
		body := append([]byte(kind), data...)
		b.Write(body)
		binary.Write(&b, binary.BigEndian, crc32.ChecksumIEEE(body))
	}
	b.WriteString("\x89PNG\r\n\x1a\n")
	head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(w)), uint32(h))
	chunk("IHDR", append(head, 8, 0, 0, 0, 0))
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	row := make([]byte, w+1)
	for range h {
		z.Write(row)
	}
	z.Close()
	chunk("IDAT", packed.Bytes())
	chunk("IEND", nil)
	return b.Bytes()
}

// zipped is a folder's files as a multipart request of one archive.
func zipped(t *testing.T, dir string) ([]byte, string) {
	t.Helper()
	var archive, b bytes.Buffer
	z := zip.NewWriter(&archive)
	if err := z.AddFS(os.DirFS(dir)); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	form := multipart.NewWriter(&b)
	p, err := form.CreateFormFile("file", "sets.zip")
	if err != nil {
		t.Fatal(err)
	}
	p.Write(archive.Bytes())
	form.Close()
	return b.Bytes(), form.FormDataContentType()
}

// peak is the most memory that a process has taken, bytes.
func peak(t *testing.T, pid int) int64 {
	t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		t.Fatal(err)
	}
	m := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(status)
	if m == nil {
		t.Fatal("no VmHWM on", runtime.GOOS)
	}
	n, _ := strconv.ParseInt(string(m[1]), 10, 64)
	return n << 10
}
