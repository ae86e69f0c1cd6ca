package outside

import (
	"encoding/json"
	"fmt"
	"strconv"
)

// Bounds of what is kept of a person's claims.
const (
	mostClaims = 200
	mostValues = 500 // of one claim
	longest    = 500 // bytes of a name or value
)

// protocol are the claims that speak of the token, not of the person (RFC 7519, section 4.1; OpenID Connect Core 1.0, sections 2 and 3.1.3.6).
// They are others each time.
var protocol = map[string]bool{
	"iss": true, "sub": true, "aud": true, "exp": true, "nbf": true, "iat": true, "jti": true,
	"nonce": true, "azp": true, "auth_time": true, "at_hash": true, "c_hash": true, "s_hash": true, "sid": true,
}

// Claims returns what rules can ask for of what was said: by name, the values as texts. What is said in objects is left out: a claim map
// can pick from it. The error says what is more than is kept.
func Claims(said map[string]any) (map[string][]string, error) {
	claims := map[string][]string{}
	for name, value := range said {
		if protocol[name] || name == "" {
			continue
		}
		values := texts(value)
		if values == nil {
			continue
		}
		if len(name) > longest || len(values) > mostValues || len(claims) == mostClaims {
			return nil, fmt.Errorf("it says more than %d claims, or more than %d values of one, or a name of more than %d bytes", mostClaims, mostValues, longest)
		}
		for _, text := range values {
			if len(text) > longest {
				return nil, fmt.Errorf("a value of the claim %s has more than %d bytes", name, longest)
			}
		}
		claims[name] = values
	}
	return claims, nil
}

// texts returns the values of a claim: one, or those of a list; nil for what is neither.
func texts(value any) []string {
	if list, ok := value.([]any); ok {
		values := make([]string, 0, len(list))
		for _, one := range list {
			text, ok := scalar(one)
			if !ok {
				return nil
			}
			values = append(values, text)
		}
		return values
	}
	if text, ok := scalar(value); ok {
		return []string{text}
	}
	return nil
}

func scalar(value any) (text string, ok bool) {
	switch v := value.(type) {
	case string:
		return v, true
	case bool:
		return strconv.FormatBool(v), true
	case json.Number:
		return v.String(), true
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64), true
	}
	return "", false
}
