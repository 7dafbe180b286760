/* One request at a time over one connection. What is sent is sent once: another connection is only opened where the
 * device closed the last one with its reply, before anything goes out. */
#define CURL_DISABLE_TYPECHECK /* the functions are called by pointers */
#include "http.h"

#include <curl/curl.h>
#include <dlfcn.h>
#include <errno.h>
#include <openssl/evp.h>
#include <openssl/pem.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/socket.h>
#include <unistd.h>

#include "line.h"
#include "memory.h"

enum { HEADERS_MOST = 64 * 1024, REDIRECTS = 3, PIN = 64 };

/* ---- libcurl ---- */

/* X(result, name, parameters) */
/* clang-format off */
#define CALLS(X) \
    X(CURL *, easy_init, (void)) X(void, easy_cleanup, (CURL *)) \
    X(CURLcode, easy_setopt, (CURL *, CURLoption, ...)) \
    X(CURLcode, easy_perform, (CURL *)) X(CURLcode, easy_getinfo, (CURL *, CURLINFO, ...)) \
    X(struct curl_slist *, slist_append, (struct curl_slist *, const char *)) \
    X(void, slist_free_all, (struct curl_slist *))
/* clang-format on */
#undef curl_easy_setopt
#undef curl_easy_getinfo
struct http_calls {
#define CALL(result, name, parameters) result(*name) parameters;
    CALLS(CALL)
#undef CALL
};
#define curl (*p->calls)

/* False: there is no libcurl on this computer. */
static bool load(http_port *p)
{
    void *library = dlopen("libcurl.so.4", RTLD_NOW | RTLD_LOCAL | RTLD_NODELETE);
    p->calls = p->calls ? p->calls : mem_new(1, sizeof *p->calls);
    bool good = library && p->calls;
#define CALL(result, name, parameters)                                                                                 \
    {                                                                                                                  \
        void *found = good ? dlsym(library, "curl_" #name) : NULL;                                                     \
        good = good && found;                                                                                          \
        if (good)                                                                                                      \
            memcpy(&curl.name, &found, sizeof found);                                                                  \
    }
    CALLS(CALL)
#undef CALL
    if (library)
        dlclose(library);
    return good;
}

/* ---- what comes back ---- */

typedef struct reading {
    bil_http_reply *reply;
    size_t headers;
    unsigned replies; /* on the way: a login by digest takes two */
    unsigned lengths; /* how often it says how long its body is: twice is no reply, RFC 9112, 6.3 */
    bool bad, closes;
    const bil_bytes *bytes; /* of a file that comes, where that is what is asked for */
    unsigned status;
    bool begun;
    bil_error cause; /* whoever takes them can't */
} reading;

/* The bytes of a file: those of the reply that counts, from its first on. */
static size_t take_bytes(reading *r, const char *bytes, size_t count)
{
    if (!r->begun && !r->bytes->begin(r->bytes->ctx))
        r->cause = BIL_E_SPACE;
    r->begun = true;
    if (!r->cause)
        r->cause = r->bytes->take(r->bytes->ctx, (const uint8_t *)bytes, count);
    return r->cause ? 0 : count;
}

static size_t take_body(char *bytes, size_t one, size_t count, void *ctx)
{
    reading *r = ctx;
    (void)one;
    if (r->bytes && r->status == 200)
        return take_bytes(r, bytes, count);
    if (count > r->reply->room - r->reply->size) {
        r->bad = true;
        return 0;
    }
    memcpy(r->reply->body + r->reply->size, bytes, count);
    r->reply->size += count;
    return count;
}

/* The value of this header; NULL: it is another one. */
static const char *value_of(const char *line, size_t length, const char *name)
{
    size_t size = strlen(name);
    if (length <= size || strncasecmp(line, name, size) != 0)
        return NULL;
    return line + size + strspn(line + size, " \t");
}

/* The realm of the first login that is offered (RFC 9110, 11.5); "" where none is named, or a longer one. */
static void take_realm(const char *value, char realm[BIL_HTTP_HEARD + 1])
{
    const char *at = strcasestr(value, "realm=\"");
    size_t count = 0;
    for (at = at ? at + 7 : ""; *at && *at != '"' && count <= BIL_HTTP_HEARD; at++) {
        at += *at == '\\' && at[1];
        realm[count++] = *at;
    }
    realm[*at == '"' && count <= BIL_HTTP_HEARD ? count : 0] = '\0';
}

static size_t take_header(char *line, size_t one, size_t count, void *ctx)
{
    reading *r = ctx;
    char text[2000];
    (void)one;
    r->headers += count;
    snprintf(text, sizeof text, "%.*s", (int)count, line);
    text[strcspn(text, "\r\n")] = '\0';
    r->lengths = strncmp(text, "HTTP/", 5) == 0 ? 0 : r->lengths;
    r->lengths += value_of(text, strlen(text), "Content-Length:") || value_of(text, strlen(text), "Transfer-Encoding:");
    r->bad = r->headers > HEADERS_MOST || r->lengths > 1;
    if (r->bad)
        return 0;
    const char *tag = value_of(text, strlen(text), "ETag:"), *how = value_of(text, strlen(text), "Connection:"),
               *wants = value_of(text, strlen(text), "WWW-Authenticate:");
    if (strncmp(text, "HTTP/", 5) == 0) {
        r->replies += !strstr(text, " 1"); /* not where it only says that it is about to reply */
        r->reply->size = 0;                /* the body before was that of a reply on the way */
        r->begun = false;
        r->status = (unsigned)strtoul(text + strcspn(text, " "), NULL, 10);
        r->reply->tag[0] = r->reply->realm[0] = '\0';
        r->closes = strncmp(text, "HTTP/1.0", 8) == 0;
    } else if (tag && strlen(tag) <= BIL_HTTP_TAG && count < sizeof text) {
        memcpy(r->reply->tag, tag, strlen(tag) + 1);
    } else if (wants && !r->reply->realm[0]) {
        take_realm(wants, r->reply->realm);
    } else if (how) {
        r->closes = strcasecmp(how, "close") == 0 || (r->closes && strcasecmp(how, "keep-alive") != 0);
    }
    return count;
}

/* ---- what goes out ---- */

typedef struct writing {
    const bil_bytes *bytes;
    bool failed;
} writing;

static size_t give_bytes(char *to, size_t one, size_t count, void *ctx)
{
    writing *w = ctx;
    size_t gave = w->bytes->give(w->bytes->ctx, (uint8_t *)to, one * count);
    w->failed = gave == 0; /* libcurl asks for no more than there are */
    return gave ? gave : CURL_READFUNC_ABORT;
}

/* From the first one on, where a login comes between. */
static int begin_again(void *ctx, curl_off_t at, int origin)
{
    writing *w = ctx;
    bool good = at == 0 && origin == SEEK_SET && w->bytes->begin(w->bytes->ctx);
    return good ? CURL_SEEKFUNC_OK : CURL_SEEKFUNC_FAIL;
}

/* A file takes as long as it takes, as long as something of it moves. */
static void prepare_file(http_port *p, const bil_http_request *q, writing *w)
{
    enum { BUFFER = 256 * 1024 };
    curl.easy_setopt(p->easy, CURLOPT_TIMEOUT_MS, 0L);
    curl.easy_setopt(p->easy, CURLOPT_LOW_SPEED_LIMIT, 1L);
    curl.easy_setopt(p->easy, CURLOPT_LOW_SPEED_TIME, (long)(q->within_ms / 1000 + 1));
    curl.easy_setopt(p->easy, CURLOPT_BUFFERSIZE, (long)BUFFER);
    if (!q->type)
        return;
    w->bytes = q->bytes;
    curl.easy_setopt(p->easy, CURLOPT_UPLOAD, 1L);
    curl.easy_setopt(p->easy, CURLOPT_UPLOAD_BUFFERSIZE, (long)BUFFER);
    curl.easy_setopt(p->easy, CURLOPT_INFILESIZE_LARGE, (curl_off_t)q->size);
    curl.easy_setopt(p->easy, CURLOPT_READFUNCTION, give_bytes);
    curl.easy_setopt(p->easy, CURLOPT_READDATA, w);
    curl.easy_setopt(p->easy, CURLOPT_SEEKFUNCTION, begin_again);
    curl.easy_setopt(p->easy, CURLOPT_SEEKDATA, w);
}

/* ---- connections ---- */

static curl_socket_t open_socket(void *ctx, curlsocktype purpose, struct curl_sockaddr *to)
{
    http_port *p = ctx;
    (void)purpose;
    if (!p->may_open)
        return CURL_SOCKET_BAD;
    return socket(to->family, to->socktype | SOCK_CLOEXEC, to->protocol);
}

static void put_url(const http_port *p, const char *path, char *out, size_t size)
{
    bool six = strchr(p->host, ':') != NULL;
    snprintf(out, size, "%s://%s%s%s:%s%s", p->tls ? "https" : "http", six ? "[" : "", p->host, six ? "]" : "", p->port,
             path);
}

/* A key as libcurl wants it (RFC 7469, 2.1.1). */
static void put_pin(const char *key, char out[PIN])
{
    unsigned char bytes[HTTP_KEY / 2], text[PIN];
    for (size_t i = 0; i < sizeof bytes; i++) {
        unsigned byte = 0;
        sscanf(key + 2 * i, "%2x", &byte);
        bytes[i] = (unsigned char)byte;
    }
    EVP_EncodeBlock(text, bytes, sizeof bytes);
    snprintf(out, PIN, "sha256//%.*s", 44, (const char *)text);
}

/* What holds for each of them: nothing of the environment, no proxy, no other protocol, no cache. */
static void prepare(http_port *p, const char *path, uint32_t within_ms)
{
    char url[600], pin[PIN];
    void *easy = p->easy;
    put_url(p, path, url, sizeof url);
    curl.easy_setopt(easy, CURLOPT_URL, url);
    curl.easy_setopt(easy, CURLOPT_PATH_AS_IS, 1L);
    curl.easy_setopt(easy, CURLOPT_PROTOCOLS_STR, p->tls ? "https" : "http");
    curl.easy_setopt(easy, CURLOPT_HTTP_VERSION, (long)CURL_HTTP_VERSION_1_1);
    curl.easy_setopt(easy, CURLOPT_PROXY, "");
    curl.easy_setopt(easy, CURLOPT_NOSIGNAL, 1L);
    curl.easy_setopt(easy, CURLOPT_CONNECTTIMEOUT_MS, (long)p->connect_ms);
    curl.easy_setopt(easy, CURLOPT_TIMEOUT_MS, (long)within_ms);
    curl.easy_setopt(easy, CURLOPT_MAXCONNECTS, 1L);
    curl.easy_setopt(easy, CURLOPT_OPENSOCKETFUNCTION, open_socket);
    curl.easy_setopt(easy, CURLOPT_OPENSOCKETDATA, p);
    const char *authorities = getenv("SSL_CERT_FILE"); /* as for whatever else speaks TLS here */
    if (p->tls && authorities && *authorities)
        curl.easy_setopt(easy, CURLOPT_CAINFO, authorities);
    if (p->tls && p->key[0]) {
        put_pin(p->key, pin);
        curl.easy_setopt(easy, CURLOPT_SSL_VERIFYPEER, 0L);
        curl.easy_setopt(easy, CURLOPT_SSL_VERIFYHOST, 0L);
        curl.easy_setopt(easy, CURLOPT_PINNEDPUBLICKEY, pin);
    }
}

/* The key of who answers there, whom nobody vouches for: for a person, who compares it with the one on the device. */
static void look_at_key(http_port *p)
{
    struct curl_certinfo *chain = NULL;
    const char *pem = NULL;
    prepare(p, "/", p->connect_ms);
    curl.easy_setopt(p->easy, CURLOPT_PINNEDPUBLICKEY, NULL);
    curl.easy_setopt(p->easy, CURLOPT_SSL_VERIFYPEER, 0L);
    curl.easy_setopt(p->easy, CURLOPT_SSL_VERIFYHOST, 0L);
    curl.easy_setopt(p->easy, CURLOPT_CERTINFO, 1L);
    curl.easy_setopt(p->easy, CURLOPT_CONNECT_ONLY, 1L);
    if (curl.easy_perform(p->easy) != CURLE_OK || curl.easy_getinfo(p->easy, CURLINFO_CERTINFO, &chain) != CURLE_OK ||
        !chain || chain->num_of_certs < 1)
        return;
    for (struct curl_slist *line = chain->certinfo[0]; line && !pem; line = line->next)
        pem = strncmp(line->data, "Cert:", 5) == 0 ? line->data + 5 : NULL;
    BIO *bio = pem ? BIO_new_mem_buf(pem, -1) : NULL;
    X509 *certificate = bio ? PEM_read_bio_X509(bio, NULL, NULL, NULL) : NULL;
    unsigned char *der = NULL, digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    int length = certificate ? i2d_X509_PUBKEY(X509_get_X509_PUBKEY(certificate), &der) : 0;
    if (length > 0 && EVP_Digest(der, (size_t)length, digest, &size, EVP_sha256(), NULL) == 1)
        for (unsigned i = 0; i < size; i++)
            snprintf(p->shown + 2 * i, 3, "%02x", digest[i]);
    OPENSSL_free(der);
    X509_free(certificate);
    BIO_free(bio);
}

/* What it means that no connection came about. */
static bil_outcome not_connected(http_port *p, CURLcode code, bil_result *result)
{
    long number = 0;
    curl.easy_getinfo(p->easy, CURLINFO_OS_ERRNO, &number);
    switch (code) {
    case CURLE_PEER_FAILED_VERIFICATION:
    case CURLE_SSL_PINNEDPUBKEYNOTMATCH:
    case CURLE_SSL_CERTPROBLEM:
    case CURLE_SSL_ISSUER_ERROR:
        look_at_key(p);
        result->cause = BIL_E_NOT_TRUSTED;
        return BIL_REFUSED;
    case CURLE_SSL_CONNECT_ERROR:
        result->cause = BIL_E_GARBLED;
        return BIL_NOT_SENT;
    case CURLE_COULDNT_RESOLVE_HOST:
        number = EHOSTUNREACH;
        break;
    default:
        number = code == CURLE_OPERATION_TIMEDOUT ? ETIMEDOUT : number ? number : EHOSTUNREACH;
        break;
    }
    p->connect_errno = (int)number;
    result->cause = line_cause(p->connect_errno);
    result->code = (uint32_t)number;
    return BIL_NOT_SENT;
}

static void hang_up(void *ctx)
{
    http_port *p = ctx;
    if (p->easy)
        curl.easy_cleanup(p->easy);
    p->easy = NULL;
    mem_free(p->calls);
    p->calls = NULL;
}

/* A first connection tells whether anybody is there, and who, before anything is asked; requests go over another one.
 */
static bil_outcome dial(void *ctx, bil_result *result)
{
    http_port *p = ctx;
    hang_up(p);
    p->connect_errno = 0;
    p->shown[0] = '\0';
    p->easy = load(p) ? curl.easy_init() : NULL;
    if (!p->easy) {
        p->connect_errno = ELIBACC;
        result->cause = BIL_E_NOT_REACHABLE;
        return BIL_NOT_SENT;
    }
    p->may_open = true;
    prepare(p, "/", p->connect_ms);
    curl.easy_setopt(p->easy, CURLOPT_CONNECT_ONLY, 1L);
    CURLcode code = curl.easy_perform(p->easy);
    bil_outcome outcome = code == CURLE_OK ? BIL_DONE : not_connected(p, code, result);
    hang_up(p); /* some devices bear one connection */
    p->easy = outcome == BIL_DONE && load(p) ? curl.easy_init() : NULL;
    return outcome;
}

/* ---- requests ---- */

static struct curl_slist *headers_of(http_port *p, const bil_http_request *q)
{
    char line[200];
    struct curl_slist *list = curl.slist_append(NULL, "Accept: application/json");
    list = curl.slist_append(list, "Cache-Control: no-cache");
    list = curl.slist_append(list, "Expect:");
    if (q->type) {
        snprintf(line, sizeof line, "Content-Type: %s", q->type);
        list = curl.slist_append(list, line);
    }
    if (q->tag) {
        snprintf(line, sizeof line, "If-Match: %s", q->tag);
        list = curl.slist_append(list, line);
    }
    return list;
}

static void log_in(http_port *p, const bil_http_request *q)
{
    static const long ways[] = {CURLAUTH_NONE, CURLAUTH_BASIC, CURLAUTH_DIGEST, CURLAUTH_BEARER};
    bool named = q->login == BIL_LOGIN_BASIC || q->login == BIL_LOGIN_DIGEST;
    curl.easy_setopt(p->easy, CURLOPT_HTTPAUTH, ways[q->password && q->login <= BIL_LOGIN_BEARER ? q->login : 0]);
    curl.easy_setopt(p->easy, CURLOPT_XOAUTH2_BEARER, q->login == BIL_LOGIN_BEARER ? q->password : NULL);
    curl.easy_setopt(p->easy, CURLOPT_USERNAME, q->password && named ? q->user : NULL);
    curl.easy_setopt(p->easy, CURLOPT_PASSWORD, named ? q->password : NULL);
}

/* Where a reply sends a reader: the path there; NULL: to another host, or not over TLS any more. */
static const char *sent_to(http_port *p)
{
    char own[400];
    const char *url = NULL;
    put_url(p, "/", own, sizeof own);
    size_t length = strlen(own);
    curl.easy_getinfo(p->easy, CURLINFO_REDIRECT_URL, &url);
    if (!url)
        return NULL;
    if (strncasecmp(url, own, length) == 0)
        return url + length - 1;
    size_t bare = length - 2 - strlen(p->port); /* without the usual port */
    bool usual = strcmp(p->port, p->tls ? "443" : "80") == 0;
    if (usual && strncasecmp(url, own, bare) == 0 && url[bare] == '/')
        return url + bare;
    const char *host = strstr(url, "://");
    host = host ? host + 3 : url;
    snprintf(p->shown, sizeof p->shown, "%.*s", (int)(host - url + (long)strcspn(host, "/?#@")), url);
    return NULL;
}

static bil_outcome send_one(http_port *p, const bil_http_request *q, const char *path, bil_http_reply *reply,
                            bil_result *result)
{
    char method[12];
    reading r = {.reply = reply, .bytes = q->type ? NULL : q->bytes};
    writing w = {NULL, false};
    long status = 0, sent = 0;
    prepare(p, path, q->within_ms);
    curl.easy_setopt(p->easy, CURLOPT_HTTPGET, 1L);
    snprintf(method, sizeof method, "%.*s", (int)strcspn(q->method, " "), q->method);
    curl.easy_setopt(p->easy, CURLOPT_CUSTOMREQUEST, method);
    curl.easy_setopt(p->easy, CURLOPT_WRITEFUNCTION, take_body);
    curl.easy_setopt(p->easy, CURLOPT_WRITEDATA, &r);
    curl.easy_setopt(p->easy, CURLOPT_HEADERFUNCTION, take_header);
    curl.easy_setopt(p->easy, CURLOPT_HEADERDATA, &r);
    struct curl_slist *list = headers_of(p, q);
    curl.easy_setopt(p->easy, CURLOPT_HTTPHEADER, list);
    curl.easy_setopt(p->easy, CURLOPT_LOW_SPEED_TIME, 0L);
    if (q->bytes) {
        prepare_file(p, q, &w);
    } else if (q->type) {
        curl.easy_setopt(p->easy, CURLOPT_POSTFIELDS, q->body);
        curl.easy_setopt(p->easy, CURLOPT_POSTFIELDSIZE, (long)q->size);
    }
    log_in(p, q);
    bool ready = !w.bytes || w.bytes->begin(w.bytes->ctx);
    CURLcode code = ready ? curl.easy_perform(p->easy) : CURLE_COULDNT_CONNECT;
    curl.easy_getinfo(p->easy, CURLINFO_RESPONSE_CODE, &status);
    curl.easy_getinfo(p->easy, CURLINFO_REQUEST_SIZE, &sent);
    curl.easy_setopt(p->easy, CURLOPT_HTTPHEADER, NULL);
    curl.slist_free_all(list);
    if (w.bytes)
        curl.easy_setopt(p->easy, CURLOPT_UPLOAD, 0L);
    if (code == CURLE_OK && r.bytes && r.status == 200 && !r.begun && !r.bytes->begin(r.bytes->ctx)) /* of no bytes */
        r.cause = BIL_E_SPACE;
    p->may_open = code == CURLE_OK && r.closes;
    result->more += r.replies > 1 ? r.replies - 1 : 0;
    reply->status = (uint16_t)status;
    if (r.cause || w.failed) {
        result->cause = r.cause ? r.cause : BIL_E_LOST;
        return r.cause ? BIL_REFUSED : BIL_UNKNOWN;
    }
    if (code == CURLE_OK)
        return BIL_DONE;
    if (code == CURLE_PEER_FAILED_VERIFICATION || code == CURLE_SSL_PINNEDPUBKEYNOTMATCH) {
        result->cause = BIL_E_NOT_TRUSTED;
        return BIL_NOT_SENT;
    }
    result->cause = r.bad                              ? BIL_E_GARBLED
                    : code == CURLE_OPERATION_TIMEDOUT ? BIL_E_SILENT
                    : code == CURLE_COULDNT_CONNECT || code == CURLE_GOT_NOTHING || code == CURLE_SEND_ERROR ||
                            code == CURLE_RECV_ERROR || code == CURLE_PARTIAL_FILE
                        ? BIL_E_LOST
                        : BIL_E_GARBLED;
    return code == CURLE_COULDNT_CONNECT && !sent ? BIL_NOT_SENT : BIL_UNKNOWN;
}

static bil_outcome request(void *ctx, const bil_http_request *q, bil_http_reply *reply, bil_result *result)
{
    http_port *p = ctx;
    char path[300];
    bool reads = strncmp(q->method, "GET ", 4) == 0;
    snprintf(path, sizeof path, "%s", q->path);
    if (!p->easy) {
        result->cause = BIL_E_LOST;
        return BIL_NOT_SENT;
    }
    for (int i = 0;; i++) {
        bil_outcome outcome = send_one(p, q, path, reply, result);
        if (outcome != BIL_DONE || reply->status < 300 || reply->status > 308 || !reads)
            return outcome;
        const char *to = sent_to(p);
        if (!to || i == REDIRECTS || strlen(to) >= sizeof path) {
            result->cause = to ? BIL_E_GARBLED : BIL_E_SENT_ELSEWHERE;
            return BIL_UNKNOWN;
        }
        snprintf(path, sizeof path, "%s", to);
        result->more++;
    }
}

void http_port_open(http_port *p, const char *host, const char *port_number, bool tls, const char *key,
                    bil_http_port *out)
{
    static const bil_http_ops ops = {dial, request, hang_up};
    *p = (http_port){.tls = tls, .connect_ms = 3000};
    snprintf(p->host, sizeof p->host, "%s", host);
    snprintf(p->port, sizeof p->port, "%s", port_number);
    snprintf(p->key, sizeof p->key, "%s", key);
    *out = (bil_http_port){&ops, p};
}
