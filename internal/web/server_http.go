package web

import (
	"cmp"
	"encoding/json"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"
	"sync"
	"time"

	"aldermoor/internal/library/studio"

	"github.com/klauspost/compress/gzip"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
)

// writeProblem answers with problem details (RFC 9457), and a code for programs: the status' own unless another is given.
func writeProblem(w http.ResponseWriter, status int, code, says string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(map[string]any{"type": "about:blank", "title": http.StatusText(status), "status": status,
		"code": cmp.Or(code, codes[status], "failed"), "detail": says})
}

// codes are what programs tell problems apart by, where the status does not say it. They never change.
var codes = map[int]string{
	http.StatusBadRequest: "bad_request", http.StatusUnauthorized: "not_signed_in", http.StatusForbidden: "no_access", http.StatusNotFound: "not_found",
	http.StatusMethodNotAllowed: "method_not_allowed", http.StatusConflict: "conflict", http.StatusGone: "gone", http.StatusPreconditionFailed: "stale",
	http.StatusRequestEntityTooLarge: "body_too_large", http.StatusRequestURITooLong: "address_too_long", http.StatusUnprocessableEntity: "invalid",
	http.StatusPreconditionRequired: "version_required", http.StatusTooManyRequests: "too_many_requests", http.StatusServiceUnavailable: "not_ready",
	http.StatusInsufficientStorage: "disk_full", http.StatusInternalServerError: "failed",
}

// precompressed serves embedded files, gzipped once for all.
func precompressed(f fs.FS) http.Handler {
	type file struct {
		plain, packed []byte
		kind          string
	}
	var mu sync.Mutex
	kept := map[string]*file{}
	load := func(name string) (*file, error) {
		mu.Lock()
		defer mu.Unlock()
		if k := kept[name]; k != nil {
			return k, nil
		}
		data, err := fs.ReadFile(f, name)
		if err != nil {
			return nil, err
		}
		k := &file{plain: data, kind: mime.TypeByExtension(path.Ext(name))}
		if path.Ext(name) == ".js" {
			k.kind = "text/javascript; charset=utf-8"
		}
		if packs(k.kind) {
			k.packed = pack(data)
		}
		kept[name] = k
		return k, nil
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		k, err := load(strings.TrimPrefix(path.Clean(r.URL.Path), "/"))
		if err != nil {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		w.Header().Set("Content-Type", k.kind)
		if !document(r.URL.Path, k.kind) { // what is said to documents would be said fifty times a page
			for _, name := range []string{"Content-Security-Policy", "Cross-Origin-Opener-Policy", "Referrer-Policy"} {
				w.Header().Del(name)
			}
		}
		data := k.plain
		if k.packed != nil {
			w.Header().Set("Vary", "Accept-Encoding")
			if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
				w.Header().Set("Content-Encoding", "gzip")
				data = k.packed
			}
		}
		w.Header().Set("Content-Length", strconv.Itoa(len(data)))
		if r.Method != http.MethodHead {
			w.Write(data)
		}
	})
}

// document says whether a static file may be opened as a page of its own, or begins a worker, which has a policy of its own.
func document(path, kind string) bool {
	return !(strings.HasPrefix(kind, "font/") || strings.HasPrefix(kind, "text/css") || strings.HasPrefix(kind, "text/javascript") && !strings.HasSuffix(path, "-worker.js"))
}

func packs(kind string) bool {
	return strings.HasPrefix(kind, "text/") && !strings.HasPrefix(kind, "text/event-stream") || strings.HasPrefix(kind, "application/json") || strings.HasPrefix(kind, "image/svg")
}

func pack(data []byte) []byte {
	var b strings.Builder
	z, _ := gzip.NewWriterLevel(&b, gzip.BestCompression)
	z.Write(data)
	z.Close()
	return []byte(b.String())
}

// compress gzips pages and JSON on their way out: fast rather than small.
func compress(h http.Handler) http.Handler {
	writers := &sync.Pool{New: func() any {
		z, _ := gzip.NewWriterLevel(nil, 3) // there is such a level
		return z
	}}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") || strings.HasPrefix(r.URL.Path, "/static/") || r.Header.Get("Range") != "" {
			h.ServeHTTP(w, r)
			return
		}
		p := &packer{ResponseWriter: w, writers: writers}
		defer p.close()
		h.ServeHTTP(p, r)
	})
}

type packer struct {
	http.ResponseWriter
	writers *sync.Pool
	z       *gzip.Writer
	decided bool
}

func (p *packer) Unwrap() http.ResponseWriter { return p.ResponseWriter }

func (p *packer) WriteHeader(status int) {
	if !p.decided {
		p.decided = true
		k := p.Header()
		if packs(k.Get("Content-Type")) && k.Get("Content-Encoding") == "" && status != http.StatusNoContent && status != http.StatusNotModified {
			k.Set("Content-Encoding", "gzip")
			k.Add("Vary", "Accept-Encoding")
			k.Del("Content-Length")
			p.z = p.writers.Get().(*gzip.Writer)
			p.z.Reset(p.ResponseWriter)
		}
	}
	p.ResponseWriter.WriteHeader(status)
}

func (p *packer) Write(b []byte) (int, error) {
	if !p.decided {
		if p.Header().Get("Content-Type") == "" {
			p.Header().Set("Content-Type", http.DetectContentType(b))
		}
		p.WriteHeader(http.StatusOK)
	}
	if p.z != nil {
		return p.z.Write(b)
	}
	return p.ResponseWriter.Write(b)
}

func (p *packer) close() {
	if p.z != nil {
		p.z.Close()
		p.writers.Put(p.z)
	}
}

// metrics are what /metrics shows of the web side.
type metrics struct {
	seconds *prometheus.HistogramVec
}

func newMetrics(r *prometheus.Registry, c Config) metrics {
	m := metrics{prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "aldermoor_http_seconds", Help: "Time to answer, by kind of request and status.",
		Buckets: []float64{.001, .003, .01, .03, .1, .3, 1, 3, 10}}, []string{"kind", "status"})}
	r.MustRegister(m.seconds, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	gauge := func(name, help string, of func(studio.Counts) int) {
		r.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, func() float64 {
			n, _ := c.Studio.Counts(background())
			return float64(of(n))
		}))
	}
	gauge("aldermoor_jobs_waiting", "Jobs that are not finished.", func(n studio.Counts) int { return n.Jobs })
	gauge("aldermoor_materials_published", "Materials in the Library.", func(n studio.Counts) int { return n.Library })
	return m
}

// observe counts and logs every request.
func (s *Server) observe(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		start := time.Now()
		o := &observed{ResponseWriter: w, status: http.StatusOK}
		h.ServeHTTP(o, r)
		took := time.Since(start)
		kind := "page"
		switch {
		case strings.HasPrefix(r.URL.Path, "/static/"):
			kind = "static"
		case strings.HasSuffix(r.URL.Path, ".png") || strings.HasSuffix(r.URL.Path, ".jpg"):
			kind = "picture"
		case strings.HasPrefix(r.URL.Path, "/api/"):
			kind = "api"
		case r.URL.Path == "/events" || r.URL.Path == "/api/v1/events":
			return
		}
		s.metrics.seconds.WithLabelValues(kind, strconv.Itoa(o.status)).Observe(took.Seconds())
		s.Log.Debug("request", "method", r.Method, "path", r.URL.Path, "status", o.status, "ms", float64(took.Microseconds())/1000)
	})
}

type observed struct {
	http.ResponseWriter
	status int
}

func (o *observed) Unwrap() http.ResponseWriter { return o.ResponseWriter }

func (o *observed) WriteHeader(status int) {
	o.status = status
	o.ResponseWriter.WriteHeader(status)
}
