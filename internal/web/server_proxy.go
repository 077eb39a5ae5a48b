package web

import (
	"context"
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
			for _, k := range []string{"Forwarded", "X-Forwarded-For", "X-Forwarded-Proto", "X-Forwarded-Host", "X-Real-Ip", "Via"} {
				if r.Header.Get(k) != "" {
					r = r.WithContext(context.WithValue(r.Context(), throughProxy{}, true))
					s.warnOfProxy(peer)
				}
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

// throughProxy marks the context of a request that says that it came through a proxy which is not trusted.
type throughProxy struct{}

// warnOfProxy records that requests come through a proxy in the studio's own network that is not trusted: everybody
// behind it then counts as one address. A stranger's claim to be a proxy is nothing to warn of.
func (s *Server) warnOfProxy(peer string) {
	addr, err := netip.ParseAddr(peer)
	if err != nil || !addr.IsLoopback() && !addr.IsPrivate() {
		return
	}
	if had := s.strangeProxy.Swap(&peer); had == nil || *had != peer {
		s.Log.Warn("requests come through a proxy that is not trusted; everybody behind it counts as one address. Name it with --trusted-proxy", "proxy", peer)
	}
}

// local says whether a request comes from this machine, and through no proxy: asked for by a name of this machine, and
// not passed on.
func local(r *http.Request) bool {
	ip := net.ParseIP(addressOf(r))
	if ip == nil || !ip.IsLoopback() || r.Context().Value(throughProxy{}) != nil || r.Header.Get("X-Forwarded-For") != "" {
		return false
	}
	host := r.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	own := net.ParseIP(strings.Trim(host, "[]"))
	return host == "localhost" || own != nil && own.IsLoopback()
}
