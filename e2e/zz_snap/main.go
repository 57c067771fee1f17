package main

import (
	"fmt"

	"rapidmimic.example/e2e/browser"
)

func main() {
	b, err := browser.Start()
	if err != nil {
		panic(err)
	}
	defer b.Close()
	p, _ := b.Open("http://127.0.0.1:7400/variables")
	must := func(errs ...error) {
		for _, err := range errs {
			if err != nil {
				fmt.Println("!!", err)
			}
		}
	}
	must(p.Size(1280, 800), p.WaitText("freeHours"), p.Fill("Name", "officeKey"), p.Click("form button[role=switch]"), p.Fill("Value", "hush-hush-quay"), p.Press("Set it"), p.WaitText("officeKey is set"), p.Screenshot("/tmp/v1.png"))
	must(p.Choose("Set in use, for all services", "drill"), p.WaitText("drill is in use"), p.Theme("dark"), p.Screenshot("/tmp/v2.png"))
	must(p.Click("[aria-label='Change gauges in set drill']"), p.WaitText("Take it out of drill"), p.Screenshot("/tmp/v3.png"))
	must(p.Press("Take it out of drill"), p.WaitText("used by"), p.Screenshot("/tmp/v4.png"))
	fmt.Println(p.Faults())
}
