package profile

// relation is what may hold between columns.
type relation struct{}

type check interface {
	block(c *collector, from, n int, apart []bool)
	merge(o check)
}

func (p *plan) newChecks() []check      { return nil }
func (p *plan) findRelations(s *sample) {}
