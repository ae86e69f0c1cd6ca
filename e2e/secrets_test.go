package e2e

import (
	"database/sql"
	"fmt"
	"net/url"
	"strings"
	"testing"

	_ "github.com/go-sql-driver/mysql"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestNoSecretIsKept issues every kind of secret there is and uses it, then looks for each in all that is kept: every
// column of the database, audit records among them, and the log.
func TestNoSecretIsKept(t *testing.T) {
	dsn := testbed.DSN(t)
	b := testbed.Start(t, testbed.OpenRecords(t, dsn))
	_, _, err := b.Service.MakeKeeper(t.Context(), demo.Keeper, demo.Passphrase)
	require.NoError(t, err)
	require.NoError(t, demo.LoadStart(t.Context(), b.Address))
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, anybody := b.As(t, "rowan@lindenmere"), with(t, b, "")
	secrets := map[string]string{"passphrase": demo.Passphrase, "session token": b.Token(t, "rowan@lindenmere")}

	both := api.ByBoth
	made, err := rowan.CreateUser(t.Context(), "lindenmere", api.UserNew{
		Name: "linnea", Email: "linnea@lindenmere.example", Temporary: ptr(true), SignInBy: both, Key: &api.KeyNew{Label: "laptop"}, Notify: true,
	})
	require.NoError(t, err)
	secrets["generated password"], secrets["API key"] = made.Password, made.Key.Secret
	secrets["access token"] = accessToken(t, b, *made.Key)
	status, _ := form(t, b.Address+"/oauth/introspection", made.Key, url.Values{"token": {secrets["access token"]}})
	require.Equal(t, 200, status)
	_, err = demo.SignIn(t.Context(), b.Address, "linnea@lindenmere", made.Password)
	require.NoError(t, err)
	reset, err := rowan.ResetPassword(t.Context(), "lindenmere", api.UserKind, "linnea", nil)
	require.NoError(t, err)
	secrets["reset password"] = reset.Password
	link, err := rowan.MailPasswordLink(t.Context(), "lindenmere", api.UserKind, "linnea")
	require.NoError(t, err)
	require.Zero(t, link.Url)
	secrets["password link"] = linkTo(t, b, "linnea@lindenmere.example")
	secrets["chosen password"] = "moss on the northern wall"
	require.NoError(t, client.Done(anybody.UseLink(t.Context(), api.LinkUse{Token: secrets["password link"], Password: secrets["chosen password"]})))
	invited, err := rowan.InviteGuest(t.Context(), "lindenmere", api.GuestNew{Email: "wren@meadowside.example"})
	require.NoError(t, err)
	require.Zero(t, invited.Link.Url)
	secrets["invitation"] = linkTo(t, b, "wren@meadowside.example")
	require.NoError(t, client.Done(anybody.UseLink(t.Context(), api.LinkUse{Token: secrets["invitation"], Password: "otters under the footbridge"})))
	secrets["guest's password"] = "otters under the footbridge"

	linnea, err := demo.SignIn(t.Context(), b.Address, "linnea@lindenmere", secrets["chosen password"])
	require.NoError(t, err)
	seed, err := linnea.BeginSecondFactor(t.Context())
	require.NoError(t, err)
	secrets["seed of one-time codes"] = seed.Seed
	code, err := totp.GenerateCode(seed.Seed, b.Clock.Now())
	require.NoError(t, err)
	codes, err := linnea.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: code})
	require.NoError(t, err)
	for i, code := range codes.Codes {
		secrets[fmt.Sprint("recovery code ", i)] = code
	}
	_, asked := form(t, b.Address+"/oauth/device", nil, url.Values{"client_id": {"a test"}})
	secrets["device code"] = asked["device_code"].(string)
	own, err := linnea.CreateOwnKey(t.Context(), api.KeyNew{})
	require.NoError(t, err)
	secrets["own key"] = own.Secret
	testbed.Problem(t, 401, client.Done(anybody.SignIn(t.Context(), api.SignIn{Name: "linnea@lindenmere", Password: "a wrong guess at it"})))
	secrets["wrong guess"] = "a wrong guess at it"

	kept := everything(t, dsn)
	require.Contains(t, kept, "linnea", "the search finds what is kept")
	require.Contains(t, kept, "created a link for user linnea")
	require.NotEmpty(t, b.Log.String())
	for what, secret := range secrets {
		require.NotEmpty(t, secret, what)
		require.NotContains(t, kept, secret, "the %s is in the database", what)
		require.NotContains(t, b.Log.String(), secret, "the %s is in the log", what)
	}
	for _, l := range b.Mail.Letters() {
		for _, what := range []string{"passphrase", "generated password", "reset password", "chosen password", "API key", "own key"} {
			require.NotContains(t, l.Text, secrets[what], "the %s is in a letter", what)
		}
	}
}

// everything reads every column of every table as text.
func everything(t *testing.T, dsn string) string {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.QueryContext(t.Context(), "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()")
	require.NoError(t, err)
	var tables []string
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		tables = append(tables, name)
	}
	require.NoError(t, rows.Err())
	require.Greater(t, len(tables), 15)
	var text strings.Builder
	for _, table := range tables {
		rows, err := db.QueryContext(t.Context(), "SELECT * FROM `"+table+"`")
		require.NoError(t, err)
		columns, err := rows.Columns()
		require.NoError(t, err)
		cells := make([]sql.RawBytes, len(columns))
		into := make([]any, len(columns))
		for i := range cells {
			into[i] = &cells[i]
		}
		for rows.Next() {
			require.NoError(t, rows.Scan(into...))
			for _, cell := range cells {
				text.Write(cell)
				text.WriteByte('\n')
			}
		}
		require.NoError(t, rows.Err())
	}
	return text.String()
}
