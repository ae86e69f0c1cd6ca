package directory_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
	"arbora.example/internal/directory"
	"arbora.example/internal/outside"
	"arbora.example/internal/standin/slapd"
)

func never(string) bool { return false }

// settings are those of Lindenmere's directory at an address.
func settings(t testing.TB, address string) directory.Settings {
	s := directory.Usual()
	s.Address, s.People.Base, s.Groups.Base, s.BindName = address, slapd.People, slapd.Groups, slapd.Reader
	require.NoError(t, s.Check())
	return s
}

func connected(t testing.TB, s directory.Settings) directory.Source {
	t.Helper()
	from, end, err := directory.Connect(t.Context(), s, slapd.Password, outside.Fetcher{})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, end()) })
	return from
}

// called returns people's subjects by their names.
func called(is directory.Content) map[string]string {
	by := map[string]string{}
	for _, p := range is.People {
		by[p.Name] = p.Subject
	}
	return by
}

func TestReadServer(t *testing.T) {
	server := testbed.Directory(t, slapd.Options{})
	s := settings(t, server.Address)
	from := connected(t, s)
	first, err := directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	by := called(first)
	require.Len(t, by, 4)
	require.Empty(t, first.Faults)
	require.Equal(t, map[string][]string{
		"seed_curators": sorted(by["odette"], by["sorrel"]), "label-house": {by["henrike"]}, "science": sorted(by["odette"], by["sorrel"], by["henrike"]),
	}, first.Groups, "groups in groups count")
	for _, p := range first.People {
		if p.Name == "henrike" {
			require.Equal(t, "Henrike Söll", p.Title)
			require.Equal(t, "henrike@lindenmere.example", p.Email)
			require.Equal(t, []string{"herbarium"}, p.Claims["departmentNumber"])
			require.NotContains(t, p.Claims, "entryUUID")
		}
	}

	known := func(key string) bool { return first.Keys[key] }
	again, err := directory.Read(t.Context(), from, s, first.Mark, known, time.Now())
	require.NoError(t, err)
	require.Nil(t, again.Groups, "nothing has changed")
	require.Zero(t, again.Touched)
	require.Equal(t, first.Keys, again.Keys)

	require.NoError(t, server.Leave("odette"))
	gone, err := directory.Read(t.Context(), from, s, first.Mark, known, time.Now())
	require.NoError(t, err)
	require.NotContains(t, gone.Keys, by["odette"])
	require.Equal(t, []string{by["sorrel"]}, gone.Groups["seed_curators"])

	require.NoError(t, server.Change(func(conn *ldap.Conn) error {
		change := ldap.NewModifyRequest("uid=caspian,"+slapd.People, nil)
		change.Replace("departmentNumber", []string{"gardens", "visitors"})
		return conn.Modify(change)
	}))
	moved, err := directory.Read(t.Context(), from, s, gone.Mark, known, time.Now())
	require.NoError(t, err)
	require.Contains(t, called(moved), "caspian")
	for _, p := range moved.People {
		if p.Name == "caspian" {
			require.Equal(t, []string{"gardens", "visitors"}, p.Claims["departmentNumber"])
		}
	}
}

// TestMarkSettles has a reading not believe that nothing has changed, for an entry may be changed again within the same second.
func TestMarkSettles(t *testing.T) {
	server := testbed.Directory(t, slapd.Options{})
	s := settings(t, server.Address)
	first, err := directory.Read(t.Context(), connected(t, s), s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	require.NotEmpty(t, first.Mark.Digest)
	require.NoError(t, server.Leave("odette"))
	again, err := directory.Read(t.Context(), connected(t, s), s, first.Mark, never, time.Now())
	require.NoError(t, err)
	require.Empty(t, again.Mark.Digest)
	require.NotEmpty(t, again.Mark.Stamp)
}

func sorted(keys ...string) []string {
	for i := range keys {
		for j := range i {
			if keys[i] < keys[j] {
				keys[i], keys[j] = keys[j], keys[i]
			}
		}
	}
	return keys
}

// certified makes a certificate for this machine, and one of another authority.
func certified(t testing.TB, directory string) (o slapd.Options, authority string) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "localhost"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}
	made, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	authority = string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: made}))
	o = slapd.Options{Certificate: filepath.Join(directory, "certificate.pem"), Key: filepath.Join(directory, "key.pem")}
	require.NoError(t, os.WriteFile(o.Certificate, []byte(authority), 0o600))
	require.NoError(t, os.WriteFile(o.Key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))
	return o, authority
}

func TestReadServerByTLS(t *testing.T) {
	o, authority := certified(t, t.TempDir())
	server := testbed.Directory(t, o)
	s := settings(t, server.Address)
	_, _, err := directory.Connect(t.Context(), s, slapd.Password, outside.Fetcher{})
	require.ErrorContains(t, err, "does not answer", "nobody vouches for it")
	_, other := certified(t, t.TempDir())
	s.Authorities = other
	_, _, err = directory.Connect(t.Context(), s, slapd.Password, outside.Fetcher{})
	require.ErrorContains(t, err, "certificate")
	s.Authorities = authority
	is, err := directory.Read(t.Context(), connected(t, s), s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	require.Len(t, is.People, 4)
}

func TestConnectSaysWhatIsWrong(t *testing.T) {
	server := testbed.Directory(t, slapd.Options{})
	s := settings(t, server.Address)
	for _, password := range []string{"wrong", ""} {
		_, _, err := directory.Connect(t.Context(), s, password, outside.Fetcher{})
		require.EqualError(t, err, "the directory does not know "+slapd.Reader+", or not by this password")
	}
	nowhere := s
	nowhere.Address = "ldap://10.1.2.3"
	_, _, err := directory.Connect(t.Context(), nowhere, slapd.Password, outside.Fetcher{})
	require.ErrorContains(t, err, "an address within the own network")
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	nowhere.Address = "ldap://" + listener.Addr().String()
	require.NoError(t, listener.Close())
	_, _, err = directory.Connect(t.Context(), nowhere, slapd.Password, outside.Fetcher{})
	require.ErrorContains(t, err, "does not answer")

	from := connected(t, s)
	s.People.Base = "ou=nobody," + slapd.Suffix
	_, err = directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.EqualError(t, err, "reading the entries under ou=nobody,"+slapd.Suffix+": there is no entry there")
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = directory.Read(ended, from, s, directory.Mark{}, never, time.Now())
	require.ErrorIs(t, err, context.Canceled)
}

// exported is Lindenmere's directory as a file that tells the keys of its entries.
func exported() []byte {
	var b strings.Builder
	for i, entry := range strings.Split(strings.TrimSpace(string(slapd.Lindenmere)), "\n\n") {
		b.WriteString(entry + "\nentryUUID: 0000-" + string(rune('a'+i)) + "\n\n")
	}
	return []byte(b.String())
}

func TestReadFile(t *testing.T) {
	from, err := directory.File(exported())
	require.NoError(t, err)
	s := settings(t, "ldap://localhost")
	is, err := directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	by := called(is)
	require.Len(t, by, 4)
	require.Equal(t, sorted(by["odette"], by["sorrel"]), is.Groups["seed_curators"])
	require.Empty(t, is.Mark.Digest, "another file may tell something else")

	s.People.Filter = "(&(departmentNumber=SEEDS)(!(title=Cur*)))"
	is, err = directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	require.Equal(t, []string{"sorrel"}, names(is))
	for filter, wanted := range map[string][]string{
		"(uid=*)": {"caspian", "henrike", "odette", "sorrel"}, "(|(uid=sorrel)(uid=odette))": {"odette", "sorrel"}, "(uid>=odette)": {"odette", "sorrel"}, "(uid<=caspian)": {"caspian"},
		"(cn=*a*e*b*)": {"sorrel"}, "(cn=*we*ld)": {"caspian"}, "(cn=*weld*weld)": nil, "(description=*)": nil,
	} {
		s.People.Filter = filter
		is, err = directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
		require.NoError(t, err)
		require.ElementsMatch(t, wanted, names(is), filter)
	}
	s.People.Filter = "(cn:caseExactMatch:=Caspian Weld)"
	_, err = directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.ErrorContains(t, err, "matching rule")
}

func names(is directory.Content) (all []string) {
	for _, p := range is.People {
		all = append(all, p.Name)
	}
	return all
}

func TestFileSaysWhatIsWrong(t *testing.T) {
	for text, why := range map[string]string{
		"": "no entries", "nonsense": "cannot be read as LDIF", "dn: uid=a,o=b\nchangetype: delete\n": "lists changes", "dn: uid=a,o=b\nuid: a\njpegPhoto:< file:///etc/hostname\n": "names the address of a value after jpegPhoto",
	} {
		_, err := directory.File([]byte(text))
		require.ErrorContains(t, err, why, text)
	}
}

// TestOddEntries reads what no person or group can become of.
func TestOddEntries(t *testing.T) {
	person := func(name string, more ...string) string {
		return "dn: uid=" + name + ",ou=people,dc=lindenmere,dc=example\nobjectClass: inetOrgPerson\n" + strings.Join(more, "\n") + "\n\n"
	}
	group := func(name string, more ...string) string {
		return "dn: cn=" + name + ",ou=groups,dc=lindenmere,dc=example\nobjectClass: groupOfNames\n" + strings.Join(more, "\n") + "\n\n"
	}
	text := person("keyless", "uid: keyless") + person("nameless", "entryUUID: 1") + person("photo", "entryUUID: 2", "uid: photo", "l:: /////w==", "ou: "+strings.Repeat("x", 600)) +
		group("round", "cn: round", "member: cn=circle,ou=groups,dc=lindenmere,dc=example", "member: UID=Photo, OU=people,dc=lindenmere,dc=example") +
		group("circle", "cn: circle", "member: cn=round,ou=groups,dc=lindenmere,dc=example", "member: uid=gone,ou=people,dc=lindenmere,dc=example") + group("same", "cn: circle") + group("none")
	from, err := directory.File([]byte(text))
	require.NoError(t, err)
	s := settings(t, "ldap://localhost")
	is, err := directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	require.Equal(t, []string{"photo"}, names(is))
	require.Empty(t, is.People[0].Claims["l"], "it is no text")
	require.Empty(t, is.People[0].Claims["ou"], "it is too long")
	require.Equal(t, map[string][]string{"round": {"2"}, "circle": {"2"}}, is.Groups)
	var why []string
	for _, f := range is.Faults {
		why = append(why, f.Entry+": "+f.Why)
	}
	require.Len(t, why, 4)
	require.Contains(t, strings.Join(why, "\n"), "uid=keyless,ou=people,dc=lindenmere,dc=example: it has no entryUUID")

	s.MemberBy = "memberUid"
	from, err = directory.File([]byte(person("photo", "entryUUID: 2", "uid: photo") + group("posix", "cn: posix", "memberUid: photo", "memberUid: gone")))
	require.NoError(t, err)
	is, err = directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.NoError(t, err)
	require.Equal(t, []string{"2"}, is.Groups["posix"])

	from, err = directory.File([]byte(person("a", "entryUUID: 2", "uid: a") + person("b", "entryUUID: 2", "uid: b")))
	require.NoError(t, err)
	_, err = directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Now())
	require.ErrorContains(t, err, "two entries have the entryUUID 2")
}

func TestCheck(t *testing.T) {
	for why, spoil := range map[string]func(*directory.Settings){
		"the address: \"https://a\"":              func(s *directory.Settings) { s.Address = "https://a" },
		"the address: \"ldap://u:p@a\"":           func(s *directory.Settings) { s.Address = "ldap://u:p@a" },
		"the name that it is read as":             func(s *directory.Settings) { s.BindName = "reader" },
		"the entry above the people":              func(s *directory.Settings) { s.People.Base = "" },
		"the filter of people":                    func(s *directory.Settings) { s.People.Filter = "(uid=a" },
		"the entry above the groups":              func(s *directory.Settings) { s.Groups.Base = "groups" },
		"the key":                                 func(s *directory.Settings) { s.Key = "entry UUID" },
		"the attribute that names members":        func(s *directory.Settings) { s.MemberBy = "a)(b" },
		"attribute of people that is read":        func(s *directory.Settings) { s.Attributes = []string{"userpassword"} },
		"the certificates":                        func(s *directory.Settings) { s.Authorities = "none" },
		"the groups":                              func(s *directory.Settings) { s.Map.Groups.Path = "$.memberOf" },
		"the name":                                func(s *directory.Settings) { s.Map.Name.Path = "uid" },
		"the time between readings":               func(s *directory.Settings) { s.Every = time.Second },
		"the share of people who may leave":       func(s *directory.Settings) { s.MostLeaving = 0 },
		"the time after which people are retired": func(s *directory.Settings) { s.RetireAfter = -1 },
	} {
		s := settings(t, "ldap://localhost")
		spoil(&s)
		require.ErrorContains(t, s.Check(), why)
	}
}

// FuzzFile reads files and filters of any kind: they are read or refused.
func FuzzFile(f *testing.F) {
	f.Add(string(exported()), "(&(objectClass=*)(uid=a*b*c))")
	f.Add("dn: a=b\nc:: AAA=\n", "(|(!(a>=b))(a<=c)(a~=d))")
	f.Fuzz(func(t *testing.T, text, filter string) {
		from, err := directory.File([]byte(text))
		if err != nil {
			t.Skip()
		}
		s := directory.Usual()
		s.Address, s.People, s.Groups = "ldap://localhost", directory.Search{Base: "dc=example", Filter: filter}, directory.Search{Base: "dc=example", Filter: filter}
		if s.Check() != nil {
			t.Skip()
		}
		is, err := directory.Read(t.Context(), from, s, directory.Mark{}, never, time.Time{})
		if err != nil {
			return
		}
		for _, p := range is.People {
			require.True(t, is.Keys[p.Subject])
		}
		for _, members := range is.Groups {
			for _, key := range members {
				require.True(t, is.Keys[key])
			}
		}
	})
}
