package reading

import "time"

// RestFor sets after what time caches that are made from now on close what nobody uses, and returns
// what puts it back.
func RestFor(d time.Duration) func() {
	usual := restFor
	restFor = d
	return func() { restFor = usual }
}

// Open returns how many deliveries lie open.
func (c *Cache) Open() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.open)
}
