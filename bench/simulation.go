package main

import (
	"container/heap"
	"math/rand/v2"
	"slices"
	"time"

	"arbora.example/follower"
	"arbora.example/internal/tenant"
)

// world is a discrete-event simulation of a service and its followers: messages take time and are lost, programs are started again. The
// clock is the simulation's own; everything else is as packages tenant and follower do it.
type world struct {
	weather
	random    *rand.Rand
	now       time.Duration
	events    events
	sequence  int
	revisions []time.Duration // when each revision was made
	down      bool            // the service is
	epoch     int             // how often the service was started
	followers []*simulated
	waiting   []*poll
	ages      []time.Duration // of answers that were given
	refused   int             // answers that were not, for want of a lease
	sent      int             // answers of the service
	bytes     int64
}

// weather is what befalls a world.
type weather struct {
	name           string
	writes         float64       // a second
	delay          time.Duration // of a message, on average
	lost           float64       // messages of all
	followersStart time.Duration // how long a follower lasts, on average; 0 for ever
	serviceStarts  time.Duration // likewise the service
}

const (
	simulatedFollowers = 1000
	simulatedFor       = 10 * time.Minute
	serviceAway        = 2 * time.Second // until a service that was ended answers again
	followerAway       = time.Second
	answerBytes        = 250 // of an answer, with its head
	stepBytes          = 300
	pollWait           = follower.DefaultLease / 4
	pollWithin         = follower.DefaultLease / 2
	retryFirst         = 50 * time.Millisecond
	retryLast          = 2 * time.Second
	keptEvery          = 5 * time.Minute
)

// simulated is a follower.
type simulated struct {
	known   int // revisions that it knows
	kept    int // on its disk
	until   time.Duration
	retry   time.Duration
	life    int // how often it was started
	running bool
	turn    tenant.Turn
}

// poll is a request that waits at the service.
type poll struct {
	of    *simulated
	life  int
	epoch int
	begun time.Duration
	over  bool
}

type event struct {
	at       time.Duration
	sequence int
	do       func()
}

type events []event

func (e events) Len() int { return len(e) }
func (e events) Less(i, j int) bool {
	return e[i].at < e[j].at || e[i].at == e[j].at && e[i].sequence < e[j].sequence
}
func (e events) Swap(i, j int) { e[i], e[j] = e[j], e[i] }
func (e *events) Push(x any)   { *e = append(*e, x.(event)) }
func (e *events) Pop() any {
	last := (*e)[len(*e)-1]
	*e = (*e)[:len(*e)-1]
	return last
}

func (w *world) in(d time.Duration, do func()) {
	w.sequence++
	heap.Push(&w.events, event{w.now + d, w.sequence, do})
}

// about is a time that is a mean one on average.
func (w *world) about(mean time.Duration) time.Duration {
	return time.Duration(w.random.ExpFloat64() * float64(mean))
}

// message arrives after a while, or never.
func (w *world) message(arrive func()) {
	if w.random.Float64() >= w.lost {
		w.in(w.delay/4+w.about(w.delay*3/4), arrive)
	}
}

// simulate lets a world go on for a while.
func simulate(weather weather, seed uint64) *world {
	w := &world{weather: weather, random: rand.New(rand.NewPCG(seed, 3))}
	for range simulatedFollowers {
		f := &simulated{turn: tenant.Turn(w.random.Float64())}
		w.followers = append(w.followers, f)
		w.in(w.about(time.Second), func() { w.begin(f) })
	}
	w.in(w.about(time.Duration(float64(time.Second)/w.writes)), w.write)
	w.in(10*time.Second, w.look) // once all have begun
	if w.serviceStarts > 0 {
		w.in(w.about(w.serviceStarts), w.end)
	}
	for w.now < simulatedFor && len(w.events) > 0 {
		next := heap.Pop(&w.events).(event)
		w.now = next.at
		next.do()
	}
	return w
}

// write makes a revision, and has those told who wait for it.
func (w *world) write() {
	if !w.down {
		w.revisions = append(w.revisions, w.now)
		for _, p := range w.waiting {
			w.in(p.of.turn.Wait(time.Unix(0, int64(w.now)), len(w.waiting)), func() { w.answer(p) })
		}
		w.waiting = w.waiting[:0]
	}
	w.in(w.about(time.Duration(float64(time.Second)/w.writes)), w.write)
}

// end ends the service, and starts it again after a while: who waits there gets no answer.
func (w *world) end() {
	w.down, w.waiting = true, nil
	w.epoch++
	w.in(serviceAway, func() {
		w.down = false
		w.in(w.about(w.serviceStarts), w.end)
	})
}

// begin starts a follower with what it kept.
func (w *world) begin(f *simulated) {
	f.running, f.known, f.until, f.retry = true, f.kept, 0, retryFirst
	f.life++
	life := f.life
	w.in(keptEvery, func() { w.keep(f, life) })
	if w.followersStart > 0 {
		w.in(w.about(w.followersStart), func() {
			if f.life == life {
				f.running = false
				w.in(followerAway, func() { w.begin(f) })
			}
		})
	}
	w.ask(f)
}

func (w *world) keep(f *simulated, life int) {
	if f.life == life && f.running {
		f.kept = f.known
		w.in(keptEvery, func() { w.keep(f, life) })
	}
}

// ask sends a request; what is not answered in time is sent again after a while.
func (w *world) ask(f *simulated) {
	p := &poll{of: f, life: f.life, begun: w.now}
	w.message(func() { w.receive(p) })
	w.in(pollWithin, func() {
		if f.life == p.life && f.running && !p.over {
			p.over = true
			w.in(f.retry, func() {
				if f.life == p.life && f.running {
					w.ask(f)
				}
			})
			f.retry = min(2*f.retry, retryLast)
		}
	})
}

// receive has the service answer at once, or when there is something to tell.
func (w *world) receive(p *poll) {
	switch {
	case w.down: // refused: the follower learns it after a message's time
		w.message(func() {
			if f := p.of; f.life == p.life && f.running && !p.over {
				p.over = true
				w.in(f.retry, func() {
					if f.life == p.life && f.running {
						w.ask(f)
					}
				})
				f.retry = min(2*f.retry, retryLast)
			}
		})
	case p.of.known < len(w.revisions) || p.of.until == 0:
		p.epoch = w.epoch
		w.answer(p)
	default:
		p.epoch = w.epoch
		w.waiting = append(w.waiting, p)
		w.in(pollWait, func() {
			if i := slices.Index(w.waiting, p); i >= 0 {
				w.waiting = slices.Delete(w.waiting, i, i+1)
				w.answer(p)
			}
		})
	}
}

// answer tells a follower what it does not know.
func (w *world) answer(p *poll) {
	if p.epoch != w.epoch || w.down {
		return
	}
	f, known := p.of, len(w.revisions)
	w.sent++
	w.bytes += answerBytes + int64(stepBytes*max(known-f.known, 0))
	w.message(func() {
		if f.life != p.life || !f.running || p.over {
			return
		}
		p.over = true
		f.known, f.retry = known, retryFirst
		f.until = p.begun + follower.DefaultLease
		w.ask(f)
	})
}

// look asks some followers how old an answer of theirs is: how long ago the first change was made that they do not know.
func (w *world) look() {
	for range 50 {
		f := w.followers[w.random.IntN(len(w.followers))]
		switch {
		case !f.running || w.now >= f.until:
			w.refused++
		case f.known >= len(w.revisions):
			w.ages = append(w.ages, 0)
		default:
			w.ages = append(w.ages, w.now-w.revisions[f.known])
		}
	}
	w.in(20*time.Millisecond, w.look)
}

// simulation tells how old answers of a thousand followers can be, and what the service sends.
func (r *report) simulation(seed uint64) {
	for _, weather := range []weather{
		{name: "fair", writes: 10, delay: 2 * time.Millisecond},
		{name: "foul", writes: 10, delay: 80 * time.Millisecond, lost: 0.02, followersStart: 5 * time.Minute, serviceStarts: time.Minute},
	} {
		w := simulate(weather, seed)
		slices.Sort(w.ages)
		at := func(part float64) float64 {
			return float64(w.ages[int(part*float64(len(w.ages)-1))].Microseconds()) / 1000
		}
		r.figure(weather.name+"-age-median", at(0.5), "ms")
		r.figure(weather.name+"-age-p99", at(0.99), "ms")
		r.figure(weather.name+"-age-most", at(1), "ms")
		r.figure(weather.name+"-unanswered", 100*float64(w.refused)/float64(w.refused+len(w.ages)), "%")
		r.figure(weather.name+"-sent", float64(w.sent)/simulatedFor.Seconds(), "answers/s")
		r.figure(weather.name+"-bytes", float64(w.bytes)/simulatedFor.Seconds()/1e6, "MB/s")
		r.atMost(weather.name+"-age/lease", at(1)/float64(follower.DefaultLease.Milliseconds()), 1)
	}
}
