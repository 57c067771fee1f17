package e2e

func closeBrowser() {}
