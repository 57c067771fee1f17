package catalog_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

// A name may have several segments; of the services that an address begins with the one
// with the longest name counts.
func TestNamesWithSegments(t *testing.T) {
	c, _ := open(t)
	for _, name := range []string{"v1", "v1/orders", "v2/orders/old", "quay"} {
		_, err := c.CreateService(t.Context(), spec.NewService(name))
		require.NoError(t, err)
	}
	for address, want := range map[string]string{
		"v1": "v1 2", "v1/": "v1 2", "v1/order": "v1 2", "v1/orders": "v1/orders 9", "v1/orders/7": "v1/orders 9", "v1%2Forders/7": "v1/orders 11", "v1/%6frders/7": "v1/orders 11",
		"v2/orders/7": "none", "v2/orders/old/7/8": "v2/orders/old 13", "quay/v1/orders": "quay 4", "": "none", "/v1": "none", "v1%": "none", "quay%2f": "none",
	} {
		service, length := c.Snapshot().At(address)
		if service == nil {
			assert.Equal(t, want, "none", address)
			continue
		}
		assert.Equal(t, want, fmt.Sprintf("%s %d", service.Spec.Name, length), address)
	}
}
