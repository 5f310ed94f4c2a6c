package app

import (
	"context"
	"os"
	"testing"
	"tourmaline/core/check"
)

func TestZ(t *testing.T) {
	KeepModules()
	os.Chdir("/tmp/sc")
	pr, err := Open(os.Getenv("PF"))
	if err != nil {
		t.Fatal(err)
	}
	_ = check.Options{}
	r, err := check.Run(context.Background(), pr.Plan, pr.Store, check.Options{})
	t.Log(err, len(r.Findings))
}
