package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// With a certificate the server speaks HTTPS and HTTP/2.
func TestServesTLS(t *testing.T) {
	bin, dir := program(t), t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	about := &x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	cert, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	write := func(name, kind string, data []byte) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: data}), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	s := serve(t, bin, filepath.Join(dir, "data"), "--tls-cert", write("cert.pem", "CERTIFICATE", cert), "--tls-key", write("key.pem", "PRIVATE KEY", secret))
	defer s.kill()
	if !strings.HasPrefix(s.url, "https://") {
		t.Fatalf("the address is %s", s.url)
	}
	known := x509.NewCertPool()
	known.AppendCertsFromPEM(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: cert}))
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: known}, ForceAttemptHTTP2: true}}
	resp, err := c.Get(s.url)
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if resp.StatusCode != http.StatusOK || resp.ProtoMajor != 2 {
		t.Errorf("%s by %s", resp.Status, resp.Proto)
	}
	if out, err := exec.Command(bin, "serve", "--data", filepath.Join(dir, "other"), "--addr", "127.0.0.1:0", "--tls-cert", filepath.Join(dir, "cert.pem")).CombinedOutput(); err == nil || !strings.Contains(string(out), "--tls-key") {
		t.Errorf("a certificate without its key: %v\n%s", err, out)
	}
}
