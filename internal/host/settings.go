package host

import (
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"

	"github.com/adrg/xdg"
	"github.com/pelletier/go-toml/v2"
	"github.com/urfave/cli/v3"

	"arbora.example/internal/credential"
	"arbora.example/internal/mail"
	"arbora.example/internal/plan"
)

// Settings are what the service can be told: by flag, by environment, or in one TOML file, in this order.
type Settings struct {
	file     string
	Database string `toml:"database"`
	Owner    string `toml:"database-owner"`
	Data     string `toml:"data"`
	Listen   string `toml:"listen"`
	Log      string `toml:"log"`
	// SealingKey is the file with the key that seals what is kept readable in the records.
	SealingKey string `toml:"sealing-key"`
	Address    string `toml:"address"`
	Mail       string `toml:"mail"`
	MailFrom   string `toml:"mail-from"`
	Loam       string `toml:"loam"`
	// TLSCertificate and TLSKey are files in PEM form, read again when they change.
	TLSCertificate string `toml:"tls-certificate"`
	TLSKey         string `toml:"tls-key"`
	TrustedProxies string `toml:"trusted-proxies"`
	// Contact is where whoever finds a weakness turns to: a mailto: or https: address.
	Contact string `toml:"security-contact"`
	// PrivateProviders lets identity providers be at addresses within the own network.
	PrivateProviders bool `toml:"private-providers"`
}

// flags returns the flags that fill the settings. The flag for the file comes first: the others look into it.
func (s *Settings) flags(listens bool) []cli.Flag {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "config", Usage: "TOML `FILE` with these settings", Value: defaultFile(),
			Sources: cli.EnvVars("ARBORA_CONFIG"), Destination: &s.file},
		&cli.StringFlag{Name: "database", Usage: "`DSN` of the MariaDB database of records, as user:password@tcp(host:port)/database",
			Sources: s.sources("ARBORA_DATABASE", "database"), Destination: &s.Database},
		&cli.StringFlag{Name: "database-owner", Usage: "`DSN` of the account that owns the tables. The account of --database then needs no rights of its own: Arbora grants it what the service needs, and it cannot change the audit log",
			Sources: s.sources("ARBORA_DATABASE_OWNER", "database-owner"), Destination: &s.Owner},
		&cli.StringFlag{Name: "data", Usage: "`DIRECTORY` of what this host keeps: snapshot files for a quick start and, without a DSN, a private MariaDB server", Value: DataHome("records"),
			Sources: s.sources("ARBORA_DATA", "data"), Destination: &s.Data},
		&cli.StringFlag{Name: "sealing-key", Usage: "`FILE` with the key that seals secrets in the records, made on first use (default: beside a private server's records, else in the user's data directory)",
			Sources: s.sources("ARBORA_SEALING_KEY", "sealing-key"), Destination: &s.SealingKey},
		&cli.StringFlag{Name: "log", Usage: "least `LEVEL` that is logged: debug, info, warn or error", Value: "info",
			Sources: s.sources("ARBORA_LOG", "log"), Destination: &s.Log},
	}
	if listens {
		flags = append(flags,
			&cli.StringFlag{Name: "listen", Usage: "`HOST:PORT` to answer at", Value: DefaultListen,
				Sources: s.sources("ARBORA_LISTEN", "listen"), Destination: &s.Listen},
			&cli.StringFlag{Name: "address", Usage: "`URL` that people and programs reach the service at, if it is not the one it listens at",
				Sources: s.sources("ARBORA_ADDRESS", "address"), Destination: &s.Address},
			&cli.StringFlag{Name: "mail", Usage: "mail server that takes what is sent to people, as smtp://`HOST:PORT`; smtps:// and user:password@ are understood",
				Sources: s.sources("ARBORA_MAIL", "mail"), Destination: &s.Mail},
			&cli.StringFlag{Name: "mail-from", Usage: "`ADDRESS` that mail is sent from", Value: "arbora@localhost",
				Sources: s.sources("ARBORA_MAIL_FROM", "mail-from"), Destination: &s.MailFrom},
			&cli.StringFlag{Name: "tls-certificate", Usage: "`FILE` with the certificate to answer by TLS with, and those above it; read again when it changes",
				Sources: s.sources("ARBORA_TLS_CERTIFICATE", "tls-certificate"), Destination: &s.TLSCertificate},
			&cli.StringFlag{Name: "tls-key", Usage: "`FILE` with the certificate's key",
				Sources: s.sources("ARBORA_TLS_KEY", "tls-key"), Destination: &s.TLSKey},
			&cli.StringFlag{Name: "trusted-proxies", Usage: "`ADDRESSES` or networks of proxies that terminate TLS, separated by commas: their X-Forwarded-For is believed",
				Sources: s.sources("ARBORA_TRUSTED_PROXIES", "trusted-proxies"), Destination: &s.TrustedProxies},
			&cli.StringFlag{Name: "security-contact", Usage: "`ADDRESS`, mailto: or https:, for reports of weaknesses; published in /.well-known/security.txt",
				Sources: s.sources("ARBORA_SECURITY_CONTACT", "security-contact"), Destination: &s.Contact},
			&cli.BoolFlag{Name: "private-providers", Usage: "let identity providers be at addresses within the own network",
				Sources: s.sources("ARBORA_PRIVATE_PROVIDERS", "private-providers"), Destination: &s.PrivateProviders},
			&cli.StringFlag{Name: "loam", Usage: "`URL` of Loam, the stand-in cloud, which people then reach through this service",
				Sources: s.sources("ARBORA_LOAM", "loam"), Destination: &s.Loam},
		)
	}
	return flags
}

func (s *Settings) sources(environment, key string) cli.ValueSourceChain {
	return cli.NewValueSourceChain(cli.EnvVar(environment), &fileKey{settings: s, key: key})
}

// Check reads the file once more, strictly, and makes the log.
func (s *Settings) Check(logTo io.Writer) (*slog.Logger, error) {
	if _, err := s.read(); err != nil {
		return nil, err
	}
	return s.logger(logTo)
}

// logger makes a log that begins at the level set.
func (s *Settings) logger(logTo io.Writer) (*slog.Logger, error) {
	var level slog.Level
	if err := level.UnmarshalText([]byte(s.Log)); err != nil {
		return nil, fmt.Errorf("--log %s is not known: use debug, info, warn or error", s.Log)
	}
	return slog.New(slog.NewTextHandler(logTo, &slog.HandlerOptions{Level: level})), nil
}

func defaultFile() string { return filepath.Join(xdg.ConfigHome, "arbora", "arbora.toml") }

// read returns the file's values by key. The default file need not be there.
func (s *Settings) read() (map[string]string, error) {
	if s.file == "" {
		return nil, nil
	}
	file, err := os.Open(s.file)
	if errors.Is(err, os.ErrNotExist) && s.file == defaultFile() {
		return nil, nil
	} else if err != nil {
		return nil, fmt.Errorf("the configuration file cannot be read: %w", err)
	}
	defer file.Close()
	var values Settings
	err = toml.NewDecoder(file).DisallowUnknownFields().Decode(&values)
	var unknown *toml.StrictMissingError
	if errors.As(err, &unknown) {
		row, column := unknown.Errors[0].Position()
		return nil, fmt.Errorf("%s, line %d, column %d: there is no setting %q; there are database, database-owner, data, sealing-key, listen, address, tls-certificate, tls-key, trusted-proxies, security-contact, mail, mail-from, loam, private-providers and log", s.file, row, column, unknown.Errors[0].Key()[0])
	} else if err != nil {
		return nil, fmt.Errorf("%s: %w", s.file, err)
	}
	private := "" // as it is where nothing is said
	if values.PrivateProviders {
		private = "true"
	}
	return map[string]string{
		"private-providers": private,
		"database":          values.Database, "database-owner": values.Owner, "data": values.Data, "listen": values.Listen, "log": values.Log, "sealing-key": values.SealingKey,
		"address": values.Address, "mail": values.Mail, "mail-from": values.MailFrom, "loam": values.Loam,
		"tls-certificate": values.TLSCertificate, "tls-key": values.TLSKey, "trusted-proxies": values.TrustedProxies, "security-contact": values.Contact,
	}, nil
}

// post returns the mail server that takes letters; none when no mail is to be sent.
func (s *Settings) post() (plan.Post, error) {
	if s.Mail == "" {
		return nil, nil
	}
	return mail.Open(s.Mail, s.MailFrom)
}

// sealer returns what seals secrets in the records. Its key is made on first use.
func (s *Settings) sealer() (*credential.Sealer, error) {
	name := s.SealingKey
	switch {
	case name == "" && s.Database == "":
		name = filepath.Join(s.Data, "sealing-key")
	case name == "":
		name = DataHome("sealing-key")
	}
	text, err := os.ReadFile(name)
	if errors.Is(err, os.ErrNotExist) {
		text, err = newSealingKey(name)
	} else if err == nil {
		err = closed(name)
	}
	if err != nil {
		return nil, fmt.Errorf("the sealing key cannot be used: %w", err)
	}
	key, err := base64.StdEncoding.DecodeString(strings.TrimSpace(string(text)))
	if err != nil {
		return nil, fmt.Errorf("the sealing key in %s is damaged: put the one back that the records were sealed with", name)
	}
	return credential.NewSealer(key)
}

// closed refuses a file with a secret that others may read or replace. A group may read it: that is how some hosts hand secrets in.
func closed(name string) error {
	info, err := os.Stat(name)
	if err == nil && info.Mode().Perm()&0o027 != 0 {
		err = fmt.Errorf("others can read or replace %s: run chmod 600 %s", name, name)
	}
	return err
}

func newSealingKey(name string) ([]byte, error) {
	key := make([]byte, credential.SealingKeySize)
	rand.Read(key) // never fails since Go 1.24
	text := []byte(base64.StdEncoding.EncodeToString(key) + "\n")
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return nil, err
	}
	// Never over one that another process made meanwhile.
	file, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return os.ReadFile(name)
	} else if err != nil {
		return nil, err
	}
	_, err = file.Write(text)
	return text, errors.Join(err, file.Close())
}

// fileKey looks a setting up in the file.
type fileKey struct {
	settings *Settings
	key      string
}

// Lookup returns the setting. What is wrong with the file is told later, by check.
func (k *fileKey) Lookup() (string, bool) {
	values, err := k.settings.read()
	value := values[k.key]
	return value, err == nil && value != ""
}

func (k *fileKey) String() string   { return k.key + " in the configuration file" }
func (k *fileKey) GoString() string { return k.String() }
