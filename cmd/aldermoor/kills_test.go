package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
)

// The server is killed again and again while all kinds of work are under way: deliveries, treatments, releases,
// handoffs, packs, references, pictures and webhooks. What was answered for is there once, every message reaches its
// receiver under one number, and nothing is left stuck. KILLS=100 makes it long (make kills).
func TestKilledOverAllKindsOfWork(t *testing.T) {
	kills := 10
	if text := os.Getenv("KILLS"); text != "" {
		var err error
		if kills, err = strconv.Atoi(text); err != nil {
			t.Fatal(err)
		}
	}
	bin, data := program(t), t.TempDir()
	tokens := accounts(t, bin, data, map[string]string{"lena": "lead", "ada": "administrator"})
	var mu sync.Mutex
	told := map[string]map[string]bool{} // numbers of messages, by the title that they tell of
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var body struct{ Event, Title string }
		data, _ := io.ReadAll(r.Body)
		json.Unmarshal(data, &body)
		mu.Lock()
		defer mu.Unlock()
		if body.Event == "request.asked" {
			if told[body.Title] == nil {
				told[body.Title] = map[string]bool{}
			}
			told[body.Title][r.Header.Get("X-Aldermoor-Delivery")] = true
		}
	}))
	defer hook.Close()

	s := serve(t, bin, data)
	lena := librarian{t: t, url: s.url, token: tokens["lena"]}
	body, kind, _ := delivery(t, 999)
	lena.deliver(body, kind)
	lena.release()
	if status, _, err := ask(s.url, tokens["ada"], "PUT", "/api/v1/webhooks", strings.NewReader(`{"webhooks":[{"url":"`+hook.URL+`"}]}`), "application/json"); status != 200 {
		t.Fatal(status, err)
	}
	s.kill()

	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 2))
	asked := map[string]bool{}       // requests that were answered for
	released := map[string]float64{} // numbers of releases that were answered for, by material
	delivered := map[string]bool{}   // sets that were answered for
	for n := range kills {
		s := serve(t, bin, data)
		call := func(method, path, body string) (int, map[string]any) {
			status, answer, _ := ask(s.url, tokens["lena"], method, path, strings.NewReader(body), "application/json")
			return status, answer
		}
		var wg sync.WaitGroup
		wg.Go(func() {
			for i := range 3 {
				title := fmt.Sprintf("No. %d of %d", i, n)
				if status, _ := call("POST", "/api/v1/requests", fmt.Sprintf(`{"kind":"material","title":%q}`, title)); status == 201 {
					mu.Lock()
					asked[title] = true
					mu.Unlock()
				}
			}
		})
		wg.Go(func() {
			for _, way := range []string{"y%2B", "y-"} {
				call("GET", fmt.Sprintf("/api/v1/releases/%d/handoff?profile=%s&normal=%s&wait=0", 1+n%4, []string{"as_scanned", "web_small"}[n/4%2], way), "")
			}
			call("GET", "/api/v1/packs?of=r1,r2,r3&wait=0", "")
			call("GET", fmt.Sprintf("/api/v1/releases/%d/picture.png?quality=reference&px=96&samples=%d", 1+n%4, 16+n), "")
		})
		wg.Go(func() {
			call("POST", "/api/v1/materials/4/recipe", `{"kind":"flip_normal"}`)
			material := fmt.Sprintf("/api/v1/materials/%d", 1+n%3) // treatments would hold up its releases
			call("PATCH", material, fmt.Sprintf(`{"author":"Author %d"}`, n))
			if status, r := call("POST", material+"/releases", `{"notes":"again"}`); status == 201 {
				mu.Lock()
				released[fmt.Sprint(r["material_id"])] = max(released[fmt.Sprint(r["material_id"])], r["number"].(float64))
				mu.Unlock()
			}
		})
		wg.Go(func() {
			if n%3 != 0 {
				return
			}
			body, kind, names := delivery(t, n)
			if status, _, _ := ask(s.url, tokens["lena"], "POST", "/api/v1/deliveries", bytes.NewReader(body), kind); status == http.StatusAccepted {
				mu.Lock()
				defer mu.Unlock()
				for _, name := range names {
					delivered[name] = true
				}
			}
		})
		time.Sleep(time.Duration(30+rng.IntN(500)) * time.Millisecond)
		s.kill()
		wg.Wait()
	}

	s = serve(t, bin, data)
	defer s.kill()
	call := func(method, path string) map[string]any {
		status, answer, err := ask(s.url, tokens["ada"], method, path, nil, "")
		if err != nil || status >= 300 {
			t.Fatalf("%s %s: %d %v %v", method, path, status, err, answer)
		}
		return answer
	}
	// All work ends. What was killed three times is failed, shown, and done when it is retried.
	retried := map[any]int{}
	for end := time.Now().Add(3 * time.Minute); ; time.Sleep(100 * time.Millisecond) {
		jobs, left := call("GET", "/api/v1/jobs"), 0
		for _, l := range jobs["lanes"].([]any) {
			left += int(l.(map[string]any)["running"].(float64) + l.(map[string]any)["waiting"].(float64))
		}
		for _, j := range jobs["items"].([]any) {
			if job := j.(map[string]any); job["state"] == "failed" {
				if retried[job["id"]]++; retried[job["id"]] > 20 {
					t.Fatalf("failed again and again: %v", job)
				}
				left++
				r, _ := http.NewRequest("POST", fmt.Sprintf("%s/jobs/%v/retry", s.url, job["id"]), nil)
				r.Header.Set("Authorization", "Bearer "+tokens["ada"])
				if resp, err := http.DefaultClient.Do(r); err == nil {
					resp.Body.Close()
				}
			}
		}
		if left == 0 {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("%d jobs are left: %v", left, jobs)
		}
	}
	mu.Lock()
	defer mu.Unlock()
	for title := range asked {
		if len(told[title]) != 1 {
			t.Errorf("the webhook was told of %s under %d numbers", title, len(told[title]))
		}
	}
	for title, numbers := range told {
		if len(numbers) != 1 {
			t.Errorf("%s was told under %d numbers", title, len(numbers))
		}
	}
	for id, number := range released {
		list := call("GET", "/api/v1/materials/"+id+"/releases")["items"].([]any)
		seen := map[any]bool{}
		for _, r := range list {
			seen[r.(map[string]any)["number"]] = true
		}
		if !seen[number] || len(seen) != len(list) {
			t.Errorf("of material %s release %v was answered for; there are %v", id, number, list)
		}
	}
	found := map[string]int{}
	for _, d := range call("GET", "/api/v1/deliveries?per=500")["items"].([]any) {
		for _, set := range call("GET", d.(map[string]any)["href"].(string))["sets"].([]any) {
			found[set.(map[string]any)["name"].(string)]++
		}
	}
	for name := range delivered {
		if found[name] != 1 {
			t.Errorf("%s was answered for and is there %d times", name, found[name])
		}
	}
	t.Logf("%d kills: %d requests, releases of %d materials and %d sets were answered for; %d jobs had to be retried", kills, len(asked), len(released), len(delivered), len(retried))
	s.kill()
	if out, err := exec.Command(bin, "verify", "--data", data).CombinedOutput(); err != nil {
		t.Errorf("verify: %v\n%s", err, out)
	}
}
