package hostile_test

import (
	"testing"

	"sieb/service/servicetest"
)

func TestMain(m *testing.M) { servicetest.Main(m) }
