package web

import (
	"net"
	"net/http"
	"net/netip"
	"strings"
)

// proxied believes forwarded addresses and schemes from the proxies that the
// administrator named, and from nobody else: what a stranger forwards is removed, so that
// nothing behind can be deceived by it. The address of a request is then that of the last
// stranger on its way.
func (s *Server) proxied(h http.Handler) http.Handler {
	trusted := func(text string) bool {
		addr, err := netip.ParseAddr(text)
		if err != nil {
			return false
		}
		for _, p := range s.Proxies {
			if p.Contains(addr.Unmap()) {
				return true
			}
		}
		return false
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		peer := addressOf(r)
		if !trusted(peer) {
			for _, k := range []string{"Forwarded", "X-Forwarded-For", "X-Forwarded-Proto", "X-Forwarded-Host"} {
				r.Header.Del(k)
			}
			h.ServeHTTP(w, r)
			return
		}
		hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
		for i := len(hops) - 1; i >= 0 && trusted(peer); i-- {
			if hop := strings.TrimSpace(hops[i]); hop != "" {
				peer = hop
			}
		}
		if _, err := netip.ParseAddr(peer); err == nil {
			r.RemoteAddr = net.JoinHostPort(peer, "0")
		}
		if p := r.Header.Get("X-Forwarded-Proto"); p != "http" && p != "https" {
			r.Header.Del("X-Forwarded-Proto")
		}
		r.Header.Del("Forwarded")
		h.ServeHTTP(w, r)
	})
}

// addressOf is where a request comes from, without a port.
func addressOf(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// local says whether a request comes from this machine, and through no proxy.
func local(r *http.Request) bool {
	ip := net.ParseIP(addressOf(r))
	return ip != nil && ip.IsLoopback() && r.Header.Get("X-Forwarded-For") == ""
}
