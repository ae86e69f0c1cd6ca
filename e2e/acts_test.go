package e2e

import "arbora.example/e2e/testbed"

// What tests of this package call often.
const (
	glasshouses, alpine, sensorLog = testbed.Glasshouses, testbed.Alpine, testbed.SensorLog
	trial, vault                   = testbed.Trial, testbed.Vault
	herbarium, digitising, scans   = testbed.Herbarium, testbed.Digitising, testbed.Scans
	trailGuide, guideMoved         = testbed.TrailGuide, testbed.GuideMoved
	noSuchID                       = testbed.NoSuchID
)

var (
	user, call, form, with, kind = testbed.User, testbed.Call, testbed.Form, testbed.With, testbed.Kind
	machine, accessToken         = testbed.Machine, testbed.AccessToken
	linkTo, awaitLetter          = testbed.LinkTo, testbed.AwaitLetter
	demand, demandSecondFactor   = testbed.Demand, testbed.DemandSecondFactor
	caller, policyMade, reshape  = testbed.Caller, testbed.PolicyMade, testbed.Reshape
	statusOf, recorded           = testbed.StatusOf, testbed.Recorded
	madeOf                       = testbed.MadeOf
)

func ptr[T any](value T) *T { return &value }
