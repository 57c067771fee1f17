// The command collections tries the memory of services on contracts that nobody here wrote: it
// imports each into a running Rapid Mimic, switches its memory on, and creates, reads, lists,
// changes and removes an item of every collection that is found, without a word of configuration.
//
//	rapidmimic serve --data $(mktemp -d) & go run ./scripts/collections FILE...
//
// It prints what failed, and how many collections went through. scripts/collections.sh fetches
// contracts out of packages.
package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

type trial struct {
	*client.Client
	traffic  string
	service  string
	contract *contract.Contract
	memory   api.Memory
	keys     map[string]map[string]string // parameters of the path of an item, by collection
}

func main() {
	address := flag.String("url", client.DefaultURL, "control address")
	verbose := flag.Bool("v", false, "print every collection")
	flag.Parse()
	c, err := client.New(*address)
	if err != nil {
		panic(err)
	}
	status, err := c.Status(context.Background())
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	all, good, contracts := 0, 0, 0
	for _, file := range flag.Args() {
		t := &trial{Client: c, traffic: status.Traffic, service: fmt.Sprintf("c%d", contracts), keys: make(map[string]map[string]string)}
		if err := t.begin(file); err != nil {
			fmt.Printf("%s: %.120s\n", filepath.Base(file), strings.ReplaceAll(err.Error(), "\n", " "))
			continue
		}
		contracts++
		ok := 0
		slices.SortStableFunc(t.memory.Collections, func(a, b api.Collection) int { return strings.Count(a.At, "/") - strings.Count(b.At, "/") })
		for _, collection := range t.memory.Collections {
			if why := t.walk(collection); why != "" {
				fmt.Printf("  %s %s (%s): %.300s\n", filepath.Base(file), collection.Name, collection.At, why)
			} else {
				ok++
				if *verbose {
					fmt.Printf("  %s %s by %s: %d operations\n", filepath.Base(file), collection.Name, collection.Key, len(collection.Operations))
				}
			}
		}
		fmt.Printf("%s: %d of %d collections\n", filepath.Base(file), ok, len(t.memory.Collections))
		all, good = all+len(t.memory.Collections), good+ok
		_ = c.RemoveService(context.Background(), t.service)
	}
	fmt.Printf("%d contracts, %d of %d collections (%d %%)\n", contracts, good, all, 100*good/max(all, 1))
}

func (t *trial) begin(file string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	if t.contract, err = openapi.Read(text); err != nil {
		return err
	}
	ctx := context.Background()
	if _, err := t.Import(ctx, client.Import{File: filepath.Base(file), Name: t.service, Text: text}); err != nil {
		return err
	}
	if _, err := t.PatchService(ctx, t.service, []byte(`{"memory": "on", "hints": false}`)); err != nil {
		return err
	}
	t.memory, err = t.Memory(ctx, t.service, "")
	return err
}

func (t *trial) operation(id string) *contract.Operation {
	for _, op := range t.contract.Operations {
		if op.ID == id {
			return op
		}
	}
	return nil
}

// call makes the call that its contract asks for, at the path of an item.
func (t *trial) call(id string, params map[string]string) (status int, header http.Header, body *tree.Node, err error) {
	op := t.operation(id)
	r := t.contract.Protocol.Try(op, sample.NewDraw(7, id, 0))
	path := op.Template.String()
	for name, value := range params {
		path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
	}
	if strings.Contains(path, "{") {
		return 0, nil, nil, fmt.Errorf("no value for %s", path)
	}
	req, err := http.NewRequest(op.Method, t.traffic+"/"+t.service+path, bytes.NewReader(r.Body.Bytes))
	if err != nil {
		return 0, nil, nil, err
	}
	if len(r.Body.Bytes) > 0 {
		req.Header.Set("Content-Type", r.Header.Get("Content-Type"))
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, nil, nil, err
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		return 0, nil, nil, err
	}
	body, _ = tree.ParseJSON(text)
	if resp.StatusCode >= 400 {
		body = tree.NewString(t.why(resp.Header.Get("Rapid-Mimic")))
	}
	return resp.StatusCode, resp.Header, body, nil
}

// why is what the explanation of a call says, by the header of its answer.
func (t *trial) why(header string) string {
	_, id, _ := strings.Cut(header, "call=")
	id, _, _ = strings.Cut(id, ",")
	for range 50 {
		if detail, err := t.Call(context.Background(), id); err == nil {
			return detail.Explanation.Sentence
		}
		time.Sleep(20 * time.Millisecond) // it is being written
	}
	return header
}

func does(c api.Collection, what string) string {
	for _, op := range c.Operations {
		if op.Does == what {
			return op.Operation
		}
	}
	return ""
}

// above gives the parameters of the path above a collection values: of an item of the parent, or
// any where nothing remembers it.
func (t *trial) above(path string) map[string]string {
	params := make(map[string]string)
	for i, part := range strings.Split(path, "/") {
		if strings.HasPrefix(part, "{") {
			params[strings.Trim(part, "{}")] = fmt.Sprint(i)
		}
	}
	for _, c := range t.memory.Collections {
		if known := t.keys[c.Name]; known != nil && c.Item != "" {
			for i, part := range strings.Split(c.Item, "/") { // by place: names differ
				all := strings.Split(path, "/")
				if i >= len(all) || part != all[i] && !(strings.HasPrefix(part, "{") && strings.HasPrefix(all[i], "{")) {
					break
				}
				if strings.HasPrefix(part, "{") && known[strings.Trim(part, "{}")] != "" {
					params[strings.Trim(all[i], "{}")] = known[strings.Trim(part, "{}")]
				}
			}
		}
	}
	return params
}

// walk leads an item of a collection through its life; it says where that ends too early.
func (t *trial) walk(c api.Collection) string {
	ctx := context.Background()
	list := c.At
	if id := does(c, "create"); id != "" {
		list = t.operation(id).Template.String()
	}
	params := t.above(list)
	param := ""
	if i := strings.LastIndex(c.Item, "{"); i >= 0 {
		param = strings.Trim(c.Item[i:], "{}")
	}
	key := ""
	before, err := t.Remembered(ctx, t.service, c.Name, "")
	if err != nil {
		return err.Error()
	}
	for _, item := range before { // which an example of a request may have the key of
		_ = t.RemoveRemembered(ctx, t.service, c.Name, item.Key, "", nil)
	}
	before = nil
	if id := does(c, "create"); id != "" {
		status, _, body, err := t.call(id, params)
		if err != nil || status >= 300 {
			return fmt.Sprintf("create %s: %d %v %s", id, status, err, shown(body))
		}
	} else {
		key = "7"
		if _, err := t.PutRemembered(ctx, t.service, c.Name, key, "", []byte(`{}`), params); err != nil {
			return "put: " + err.Error()
		}
	}
	after, err := t.Remembered(ctx, t.service, c.Name, "")
	if err != nil || len(after) != len(before)+1 {
		return fmt.Sprintf("create added %d items, not one (%v)", len(after)-len(before), err)
	}
	key = after[len(after)-1].Key
	item := t.above(c.Item)
	for name, value := range params {
		item[name] = value
	}
	item[param] = key
	t.keys[c.Name] = item
	if id := does(c, "list"); id != "" {
		status, _, body, err := t.call(id, params)
		if err != nil || status >= 300 || c.Key != "" && !strings.Contains(shown(body), key) {
			return fmt.Sprintf("list %s has no %q: %d %v %s", id, key, status, err, shown(body))
		}
	}
	for _, verb := range []string{"read", "change", "replace", "read"} {
		if id := does(c, verb); id != "" && c.Item != "" && t.operation(id).Template.String() == c.Item { // else the body says which
			status, _, body, err := t.call(id, item)
			if err != nil || status >= 300 {
				return fmt.Sprintf("%s %s of %q: %d %v %s", verb, id, key, status, err, shown(body))
			}
		}
	}
	if id := does(c, "remove"); id != "" {
		status, _, body, err := t.call(id, item)
		if err != nil || status >= 300 {
			return fmt.Sprintf("remove %s of %q: %d %v %s", id, key, status, err, shown(body))
		}
		if read := does(c, "read"); read != "" {
			if status, _, _, _ := t.call(read, item); status != http.StatusNotFound {
				return fmt.Sprintf("read after remove: %d", status)
			}
		}
		if id := does(c, "create"); id != "" { // what is below it needs one
			_, _, _, _ = t.call(id, params)
			if again, err := t.Remembered(ctx, t.service, c.Name, ""); err == nil && len(again) > 0 {
				item[param] = again[len(again)-1].Key
			}
		} else {
			_, _ = t.PutRemembered(ctx, t.service, c.Name, key, "", []byte(`{}`), params)
		}
	}
	return ""
}

func shown(n *tree.Node) string {
	if n == nil {
		return ""
	}
	return string(n.AppendJSON(nil))
}
