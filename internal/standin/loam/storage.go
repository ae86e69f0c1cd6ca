package loam

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"strings"
	"unicode/utf8"

	"arbora.example/internal/standin/loam/loamapi"
)

// mostBytes bounds an object, maxPage a page of a bucket's objects.
const (
	mostBytes = 16 << 20
	maxPage   = 1000
)

// splitObject splits the address of an object, or its bucket's id and its name, into the bucket and the name in it. The name
// is empty for the bucket itself.
func splitObject(address string) (bucket, name string, err error) {
	parts := strings.Split(address, "/")
	for i, part := range parts {
		if i == 0 && len(part) == 36 || strings.HasSuffix(part, ".bucket") {
			return strings.Join(parts[:i+1], "/"), strings.Join(parts[i+1:], "/"), nil
		}
	}
	return "", "", invalid("", address+" names no bucket", "write ADDRESS.bucket, and /NAME for an object in it")
}

// listObjects lists a bucket's objects, those after a name.
func (c *call) listObjects(ctx context.Context, bucket, after string, most int) ([]loamapi.Object, error) {
	r, err := c.bucket(ctx, "list", bucket)
	if err != nil {
		return nil, err
	}
	return c.records.objects(ctx, r.ID, after, most)
}

// bucket asks whether the subject may do something with objects of a bucket.
func (c *call) bucket(ctx context.Context, operation, bucket string) (resource, error) {
	if err := c.asOneself(); err != nil {
		return resource{}, err
	}
	v, err := c.may(ctx, operation, "object", bucket)
	if err != nil {
		return resource{}, err
	}
	return c.known(ctx, v.Scope, c.subject.Organisation, "bucket")
}

func (c *call) named(ctx context.Context, operation, address string) (resource, string, error) {
	bucket, name, err := splitObject(address)
	if err != nil {
		return resource{}, "", err
	}
	if name == "" || utf8.RuneCountInString(name) > 500 || !utf8.ValidString(name) {
		return resource{}, "", invalid("", fmt.Sprintf("%q names no object", address), "write ADDRESS.bucket/NAME, the name of 1 to 500 characters")
	}
	r, err := c.bucket(ctx, operation, bucket)
	return r, name, err
}

func (c *call) fetchObject(ctx context.Context, address string) (loamapi.Object, []byte, error) {
	r, name, err := c.named(ctx, "fetch", address)
	if err != nil {
		return loamapi.Object{}, nil, err
	}
	o, body, err := c.records.object(ctx, r.ID, name)
	if err == errNone {
		err = noObject(name)
	}
	return o, body, err
}

func noObject(name string) *Problem {
	return problem(http.StatusNotFound, "not-there", fmt.Sprintf("the bucket has no object %q", name), "arbora-demo loam objects lists what it has")
}

func (c *call) putObject(ctx context.Context, address, mediaType string, body []byte) (loamapi.Object, error) {
	r, name, err := c.named(ctx, "put", address)
	if err != nil {
		return loamapi.Object{}, err
	}
	if mediaType == "" {
		mediaType = "application/octet-stream"
	}
	if _, _, err := mime.ParseMediaType(mediaType); err != nil || len(mediaType) > 200 {
		return loamapi.Object{}, invalid("Content-Type", fmt.Sprintf("%q is not a media type", mediaType), "send one such as image/tiff")
	}
	if err := r.fits(len(body)); err != nil {
		return loamapi.Object{}, err
	}
	o := loamapi.Object{Name: name, MediaType: mediaType, Size: int64(len(body)), PutAt: c.moment(), PutBy: c.subject.words()}
	return o, c.records.putObject(ctx, r.ID, o, body)
}

func (c *call) eraseObject(ctx context.Context, address string) error {
	r, name, err := c.named(ctx, "erase", address)
	if err != nil {
		return err
	}
	if err = c.records.eraseObject(ctx, r.ID, name); err == errNone {
		err = noObject(name)
	}
	return err
}
