package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strings"
	"sync/atomic"
	"testing/fstest"
	"time"

	"arbora.example/access/catalogue"
	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/server"
	"arbora.example/internal/service"
	"arbora.example/internal/signin"
	"arbora.example/internal/standin/identity"
	"arbora.example/internal/store"
	"arbora.example/internal/store/mariadbd"
	"arbora.example/internal/tenant"
)

// provisioning compares creating people by SCIM with creating users, and measures the service's own part of signing in by a provider, and reading
// a directory.
func (r *report) provisioning(ctx context.Context, _ *mariadbd.Server, records *store.Store, o *organisation) (err error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	svc := service.New(service.Options{Records: tenant.RecordsIn(records), Catalogue: catalogue.Shipped(), Clock: time.Now, Address: "http://" + listener.Addr().String(), Log: log, Sealer: sealer()})
	handler, err := server.New(server.Options{Service: svc, Console: fstest.MapFS{}, Log: log})
	if err != nil {
		return err
	}
	var own atomic.Int64 // nanoseconds that answering requests of a sign-in took
	closed := answer(listener, http.HandlerFunc(func(w http.ResponseWriter, asked *http.Request) {
		began := time.Now()
		handler.ServeHTTP(w, asked)
		if strings.HasPrefix(asked.URL.Path, "/sign-in/") {
			own.Add(int64(time.Since(began)))
		}
	}))
	defer func() { err = errors.Join(err, closed()) }()
	steward, err := svc.SignIn(ctx, signin.SignInRequest{Name: "u0@lindenmere", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	arbora, err := client.Open(svc.Address(), string(steward.Token))
	if err != nil {
		return err
	}
	if err := client.Done(arbora.CreateProvider(ctx, "lindenmere", api.ProviderNew{Name: "bench-sso"})); err != nil {
		return err
	}
	if err := r.creates(ctx, arbora); err != nil {
		return err
	}
	if err := r.signsIn(ctx, svc.Address(), arbora, &own); err != nil {
		return err
	}
	if err := roomier(ctx, svc); err != nil {
		return err
	}
	return r.directory(ctx, arbora, float64(len(o.users))/float64(full.users))
}

// roomier lets the organisation have as many people again.
func roomier(ctx context.Context, svc *service.Service) error {
	warden, err := svc.SignIn(ctx, signin.SignInRequest{Name: "warden", Password: passphrase, From: "127.0.0.1"})
	if err != nil {
		return err
	}
	keeper, err := client.Open(svc.Address(), string(warden.Token))
	if err != nil {
		return err
	}
	most := 1_000_000
	return client.Done(keeper.SetQuotas(ctx, "lindenmere", api.Quotas{Principals: &most}))
}

// creates creates people in turn by SCIM and as users.
func (r *report) creates(ctx context.Context, arbora *client.Client) error {
	token, err := arbora.CreateProvisioningToken(ctx, "lindenmere", "bench-sso", api.ProvisioningTokenNew{Label: "bench"})
	if err != nil {
		return err
	}
	const people = 60
	var byUser, bySCIM []time.Duration
	for i := range people {
		began := time.Now()
		if err := client.Done(arbora.CreateUser(ctx, "lindenmere", api.UserNew{Name: nameOf("bench-made", i), Title: "Made", SignInBy: api.ByKey})); err != nil {
			return err
		}
		byUser = append(byUser, time.Since(began))
		body, err := json.Marshal(map[string]any{"schemas": []string{"urn:ietf:params:scim:schemas:core:2.0:User"}, "userName": nameOf("bench-told", i), "externalId": fmt.Sprint(i), "displayName": "Told"})
		if err != nil {
			return err
		}
		began = time.Now()
		asked, err := http.NewRequestWithContext(ctx, http.MethodPost, token.Address+"/Users", bytes.NewReader(body))
		if err != nil {
			return err
		}
		asked.Header.Set("Authorization", "Bearer "+token.Token)
		got, err := http.DefaultClient.Do(asked)
		if err != nil {
			return err
		}
		text, err := io.ReadAll(got.Body)
		if err := errors.Join(err, got.Body.Close()); err != nil {
			return err
		}
		if got.StatusCode != http.StatusCreated {
			return fmt.Errorf("a user is not created by SCIM: %s", text)
		}
		bySCIM = append(bySCIM, time.Since(began))
	}
	told, made := median(bySCIM), median(byUser)
	r.figure("scim-create", float64(told.Microseconds())/1000, "ms")
	r.atMost("scim-create/user-create", float64(told)/float64(made), 1.5)
	return nil
}

// signsIn has somebody sign in by a provider again and again. What the provider takes to answer does not count.
func (r *report) signsIn(ctx context.Context, address string, arbora *client.Client, own *atomic.Int64) error {
	there, err := identity.Start("127.0.0.1:0", "Bench", identity.Quaywater())
	if err != nil {
		return err
	}
	defer there.Close()
	there.Took = func(path string, took time.Duration) {
		if path == "/token" || path == "/userinfo" { // which the service waits for
			own.Add(-int64(took))
		}
	}
	made, err := arbora.CreateTrust(ctx, "lindenmere", "bench-sso", api.TrustWanted{Issuer: there.Issuer(), ClientId: identity.ClientID, Secret: identity.Secret})
	if err != nil {
		return err
	}
	visit := func(address string) error {
		browser, err := identity.NewBrowser()
		if err != nil {
			return err
		}
		_, err = identity.Visit(ctx, browser, address, "q-4711")
		return err
	}
	trial, err := arbora.BeginTrial(ctx, "lindenmere", "bench-sso", made.Trust.Id)
	if err != nil {
		return err
	}
	if err := visit(trial.Address); err != nil {
		return err
	}
	if err := client.Done(arbora.SetTrustState(ctx, "lindenmere", "bench-sso", made.Trust.Id, nil, api.TrustStateWanted{State: api.TrustInUse})); err != nil {
		return err
	}
	const times = 40
	var took []time.Duration
	for i := range times + 1 {
		own.Store(0)
		if err := visit(address + "/sign-in/by/lindenmere/bench-sso"); err != nil {
			return err
		}
		if i > 0 { // the first time they are created
			took = append(took, time.Duration(own.Load()))
		}
	}
	r.milliseconds("provider-sign-in", median(took), 5)
	return nil
}
