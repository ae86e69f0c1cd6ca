package e2e

import (
	"bytes"
	"compress/gzip"
	"io"
	"net/http"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/e2e/testbed"
)

// TestStaticFiles reads the console's files as a browser does.
func TestStaticFiles(t *testing.T) {
	b := testbed.Start(t, testbed.Records(t))
	status, header, page := call(t, "GET", b.Address+"/", "", "", "")
	require.Equal(t, 200, status)
	require.Equal(t, "no-store", header.Get("Cache-Control"))
	require.Equal(t, "nosniff", header.Get("X-Content-Type-Options"))
	require.NotContains(t, page, "<style", "the page carries nothing inline: its policy forbids it")
	for _, path := range []string{"/assets", "/assets/", "/.git/config", "/../go.mod"} {
		status, header, _ := call(t, "GET", b.Address+path, "", "", "")
		require.Equal(t, 404, status, path)
		require.Empty(t, header.Get("Location"), path)
	}
	script := regexp.MustCompile(`/assets/[\w.-]+\.js`).FindString(page)
	status, header, _ = call(t, "GET", b.Address+script, "", "", "")
	require.Equal(t, 200, status)
	require.Contains(t, header.Get("Cache-Control"), "immutable")
	require.Contains(t, header.Get("Content-Type"), "javascript")
	require.Empty(t, header.Get("Content-Encoding"), "nobody asked for it compressed")

	// Text is compressed for whoever takes it so, whole; what is compressed already, and what the API answers, is not.
	read := func(path, encoding, parts string) (*http.Response, []byte) {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, b.Address+path, nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Encoding", encoding)
		if parts != "" {
			r.Header.Set("Range", parts)
		}
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return response, text
	}
	_, plain := read(script, "identity", "")
	for _, parts := range []string{"", "bytes=0-9"} {
		answer, packed := read(script, "gzip", parts)
		require.Equal(t, 200, answer.StatusCode)
		require.Equal(t, "gzip", answer.Header.Get("Content-Encoding"))
		require.Less(t, len(packed), len(plain)/2)
		reader, err := gzip.NewReader(bytes.NewReader(packed))
		require.NoError(t, err)
		unpacked, err := io.ReadAll(reader)
		require.NoError(t, err)
		require.Equal(t, plain, unpacked)
	}
	sheet := regexp.MustCompile(`/assets/index-[\w.-]+\.css`).FindString(page)
	_, style := read(sheet, "identity", "")
	font := regexp.MustCompile(`/assets/[\w.-]+\.woff2`).Find(style)
	require.NotEmpty(t, font)

	// All that the first page needs comes in less than 300 KB.
	sent := 0
	first := regexp.MustCompile(`/assets/[\w.-]+\.(js|css)`).FindAllString(page, -1)
	first = append(first, string(regexp.MustCompile(`/assets/source-sans-3-latin-wght-normal[\w.-]+\.woff2`).Find(style)))
	for _, path := range first {
		answer, text := read(path, "gzip", "")
		require.Equal(t, 200, answer.StatusCode, path)
		sent += len(text)
	}
	t.Logf("the first load takes %d bytes in %d files", sent, len(first))
	require.Less(t, sent, 300_000)
	for path, want := range map[string]string{sheet: "gzip", string(font): "", "/api/v1/status": "", "/api/v1/openapi.yaml": ""} {
		t.Run(path, func(t *testing.T) {
			answer, _ := read(path, "gzip", "")
			require.Equal(t, want, answer.Header.Get("Content-Encoding"), path)
		})
	}
	for path, want := range map[string]int{"/nowhere": 404, "/assets/": 404, "/../../etc/passwd": 404, "/.gitkeep": 200} {
		t.Run(path, func(t *testing.T) {
			status, _, _ = call(t, "GET", b.Address+path, "", "", "")
			require.Equal(t, want, status, path)
		})
	}
	status, _, _ = call(t, "POST", b.Address+"/", "", "", "")
	require.Equal(t, 405, status)
}
