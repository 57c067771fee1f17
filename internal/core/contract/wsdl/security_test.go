package wsdl_test

import (
	"crypto/sha1"
	"encoding/base64"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
)

const (
	wsse = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
	wsu  = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
)

// secured is the header of WS-Security with something in it.
func secured(inside string) string {
	return `<s:Security xmlns:s="` + wsse + `" xmlns:u="` + wsu + `" e:mustUnderstand="1">` + inside + `</s:Security>`
}

func userToken(user, inside string) string {
	return `<s:UsernameToken><s:Username>` + user + `</s:Username>` + inside + `</s:UsernameToken>`
}

// Messages are held against the passwords of users, as text and as digest, and against the time.
func TestUsernameTokens(t *testing.T) {
	c := readText(t, dual)
	now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
	at := func(d time.Duration) string { return now.Add(d).Format(time.RFC3339) }
	digest := func(password string, created time.Duration) string {
		sum := sha1.Sum([]byte("nonce" + at(created) + password))
		return `<s:Password Type="http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0#PasswordDigest">` + base64.StdEncoding.EncodeToString(sum[:]) + `</s:Password>` +
			`<s:Nonce>` + base64.StdEncoding.EncodeToString([]byte("nonce")) + `</s:Nonce><u:Created>` + at(created) + `</u:Created>`
	}
	stamp := func(created, expires time.Duration) string {
		return `<u:Timestamp><u:Created>` + at(created) + `</u:Created><u:Expires>` + at(expires) + `</u:Expires></u:Timestamp>`
	}
	const text = `<s:Password>high tide</s:Password>`
	for _, k := range []struct{ header, want string }{
		{"", "a UsernameToken is missing"},
		{secured(""), "a UsernameToken is missing"},
		{secured(userToken("mara", text)), ""},
		{secured(userToken("mara", `<s:Password>low tide</s:Password>`)), "the password of its UsernameToken is wrong"},
		{secured(userToken("mara", "")), "its UsernameToken has no password"},
		{secured(userToken("ida", text)), "nobody is called as its UsernameToken says"},
		{secured(userToken("mara", digest("high tide", 0))), ""},
		{secured(userToken("mara", digest("high tide", -4*time.Minute))), ""},
		{secured(userToken("mara", digest("high tide", -6*time.Minute))), "its UsernameToken was not created within 5m0s of now"},
		{secured(userToken("mara", digest("high tide", 6*time.Minute))), "its UsernameToken was not created within 5m0s of now"},
		{secured(userToken("mara", digest("low tide", 0))), "the digest of its UsernameToken is wrong"},
		{secured(userToken("mara", `<s:Password Type="x#PasswordDigest">a</s:Password>`)), "the digest of its UsernameToken needs a nonce and the time when it was created"},
		{secured(userToken("mara", text+`<s:Nonce>used</s:Nonce>`)), "the nonce of its UsernameToken was used before"},
		{secured(userToken("mara", text+`<s:Nonce>new</s:Nonce>`)), ""},
		{secured(stamp(-time.Minute, time.Minute) + userToken("mara", text)), ""},
		{secured(stamp(-9*time.Minute, -time.Minute) + userToken("mara", text)), "the message expired 1m0s ago"},
		{secured(stamp(9*time.Minute, 10*time.Minute) + userToken("mara", text)), "the message was made 9m0s from now"},
	} {
		asked := send(c, "/", "", "", with("1.1", k.header, ask))
		found := c.Protocol.(contract.Authenticator).CheckCredentials(&asked, contract.Credentials{Now: now, Password: func(user string) (string, bool) { return "high tide", user == "mara" }, Fresh: func(nonce string) bool { return nonce != "used" }})
		if k.want == "" {
			assert.Empty(t, found, k.header)
			continue
		}
		require.Len(t, found, 1, k.header)
		assert.Equal(t, []string{"header Security", k.want}, []string{found[0].Where, found[0].Detail})
	}
	asked := send(c, "/", "", "", envelope("1.2", ask))
	refused, _ := c.Protocol.(contract.Envelope).Refuse(&asked, contract.Fault{Unsigned: true, Text: "no"})
	assert.Contains(t, string(refused.Body), `<soap:Value>soap:Sender</soap:Value><soap:Subcode><soap:Value>n2:FailedAuthentication</soap:Value></soap:Subcode>`)
	assert.Equal(t, 400, refused.Status)
}

// Signatures are passed over, and encrypted bodies found by their action; both are told.
func TestSignedAndEncryptedMessages(t *testing.T) {
	c := readText(t, dual, `<soap:operation soapAction=""/>`, `<soap:operation soapAction="urn:ask"/>`)
	asked := send(c, "/Desk", "", "urn:ask", with("1.1", secured(`<d:Signature xmlns:d="http://www.w3.org/2000/09/xmldsig#"/>`), ask))
	require.Equal(t, "ask", asked.ID())
	assert.Equal(t, `its body is <ask>, and the action is "urn:ask"; its signature is not verified`, asked.Reason)
	hidden := with("1.1", secured(""), `<x:EncryptedData xmlns:x="http://www.w3.org/2001/04/xmlenc#"><x:CipherValue>N7</x:CipherValue></x:EncryptedData>`)
	asked = send(c, "/Desk", "", `"urn:ask"`, hidden)
	require.Equal(t, "ask", asked.ID())
	assert.Contains(t, asked.Reason, "the body is encrypted, and not looked at")
	assert.Empty(t, checkRequest(c, &asked, "text/xml"))
	assert.NotEmpty(t, built(t, c, &asked, "").Body)
	asked = send(c, "/Desk", "", "", hidden)
	require.NotNil(t, asked.Fault)
	assert.Equal(t, "The body is encrypted, and the action names no operation.", asked.Fault.Text)
}
