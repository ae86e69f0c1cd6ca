package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/slapd"
)

// The directory that is read at full size.
const (
	directoryPeople = 100_000
	directoryGroups = 5_000
	inEachGroup     = 20
)

// directory reads a directory server the first time, and again when nothing in it has changed. At full size that may take 60 and 5 seconds.
func (r *report) directory(ctx context.Context, arbora *client.Client, scale float64) (err error) {
	home, err := os.MkdirTemp("", "arbora-bench-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(home)) }()
	people, groups := int(directoryPeople*scale), int(directoryGroups*scale)
	server, err := slapd.Start(ctx, home, entries(people, groups), slapd.Options{})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, server.Stop()) }()
	const provider = "bench-house"
	if err := client.Done(arbora.CreateProvider(ctx, "lindenmere", api.ProviderNew{Name: provider, Own: true})); err != nil {
		return err
	}
	usual, err := arbora.ShowDirectory(ctx, "lindenmere", provider)
	if err != nil {
		return err
	}
	wanted := server.Wanted(usual.Settings)
	wanted.Settings.Every = 0
	if err := client.Done(arbora.SetDirectory(ctx, "lindenmere", provider, nil, wanted)); err != nil {
		return err
	}
	read := func(name string, most time.Duration, wanted api.DirectoryReadingOutcome) error {
		began := time.Now()
		is, err := arbora.ReadDirectory(ctx, "lindenmere", provider, api.DirectoryReadingWanted{})
		for err == nil && is.Outcome == api.ReadingRunning {
			var list api.DirectoryReadingList
			list, err = arbora.ListReadings(ctx, "lindenmere", provider)
			for _, one := range list.Readings {
				if one.Id == is.Id {
					is = one
				}
			}
		}
		if err != nil {
			return err
		}
		took := time.Since(began)
		if is.Outcome != wanted || is.People != people {
			return fmt.Errorf("a reading found %d of %d people and was %s: %s", is.People, people, is.Outcome, is.Why)
		}
		r.milliseconds(name, took, float64(most.Milliseconds())*scale)
		return nil
	}
	return errors.Join(
		read("directory-first", time.Minute, api.ReadingDone),
		read("directory-unchanged", 5*time.Second, api.ReadingUnchanged),
	)
}

// entries writes a directory of people and groups as LDIF.
func entries(people, groups int) []byte {
	b := bytes.NewBuffer(nil)
	fmt.Fprintf(b, "dn: %s\nobjectClass: dcObject\nobjectClass: organization\ndc: lindenmere\no: Lindenmere\n\n", slapd.Suffix)
	fmt.Fprintf(b, "dn: %s\nobjectClass: organizationalRole\nobjectClass: simpleSecurityObject\ncn: reader\nuserPassword: %s\n\n", slapd.Reader, slapd.Password)
	for _, unit := range []string{"people", "groups"} {
		fmt.Fprintf(b, "dn: ou=%s,%s\nobjectClass: organizationalUnit\nou: %s\n\n", unit, slapd.Suffix, unit)
	}
	for i := range people {
		fmt.Fprintf(b, "dn: uid=p%d,%s\nobjectClass: inetOrgPerson\nuid: p%d\ncn: Person %d\nsn: %d\ndepartmentNumber: d%d\ntitle: Gardener\nmodifyTimestamp: 20260301080000Z\n\n", i, slapd.People, i, i, i, i%50)
	}
	for i := range groups {
		fmt.Fprintf(b, "dn: cn=g%d,%s\nobjectClass: groupOfNames\ncn: g%d\n", i, slapd.Groups, i)
		for n := range min(inEachGroup, people) {
			fmt.Fprintf(b, "member: uid=p%d,%s\n", (i*inEachGroup+n)%people, slapd.People)
		}
		b.WriteString("modifyTimestamp: 20260301080000Z\n\n")
	}
	return b.Bytes()
}
