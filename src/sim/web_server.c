#include "web_server.h"

#include <arpa/inet.h>
#include <dlfcn.h>
#include <errno.h>
#include <microhttpd.h>
#include <netinet/in.h>
#include <stdlib.h>
#include <string.h>

#include "web.h"

/* Looked for when it is needed, as what it needs takes time to load. X(result, name, parameters) */
/* clang-format off */
#define CALLS(X) \
    X(struct MHD_Daemon *, start_daemon, (unsigned, uint16_t, MHD_AcceptPolicyCallback, void *, MHD_AccessHandlerCallback, void *, ...)) \
    X(void, stop_daemon, (struct MHD_Daemon *)) X(enum MHD_Result, run, (struct MHD_Daemon *)) \
    X(const union MHD_DaemonInfo *, get_daemon_info, (struct MHD_Daemon *, enum MHD_DaemonInfoType, ...)) \
    X(struct MHD_Response *, create_response_from_buffer, (size_t, void *, enum MHD_ResponseMemoryMode)) \
    X(void, destroy_response, (struct MHD_Response *)) \
    X(enum MHD_Result, add_response_header, (struct MHD_Response *, const char *, const char *)) \
    X(enum MHD_Result, queue_response, (struct MHD_Connection *, unsigned, struct MHD_Response *)) \
    X(const char *, lookup_connection_value, (struct MHD_Connection *, enum MHD_ValueKind, const char *)) \
    X(char *, digest_auth_get_username, (struct MHD_Connection *)) X(void, free, (void *)) \
    X(int, digest_auth_check2, (struct MHD_Connection *, const char *, const char *, const char *, unsigned, enum MHD_DigestAuthAlgorithm)) \
    X(enum MHD_Result, queue_auth_fail_response2, (struct MHD_Connection *, const char *, const char *, struct MHD_Response *, int, enum MHD_DigestAuthAlgorithm))
/* clang-format on */
static struct {
#define CALL(result, name, parameters) result(*name) parameters;
    CALLS(CALL)
#undef CALL
    bool good;
} mhd;

static bool load(void)
{
    void *library = mhd.good ? NULL : dlopen("libmicrohttpd.so.12", RTLD_NOW | RTLD_LOCAL);
    if (!library)
        return mhd.good;
    mhd.good = true;
#define CALL(result, name, parameters)                                                                                 \
    {                                                                                                                  \
        void *found = dlsym(library, "MHD_" #name);                                                                    \
        memcpy(&mhd.name, &found, sizeof found);                                                                       \
        mhd.good = mhd.good && found;                                                                                  \
    }
    CALLS(CALL)
#undef CALL
    return mhd.good;
}

enum { BODY_MOST = 256 * 1024, NONCE_SECONDS = 300 };
static const enum MHD_DigestAuthAlgorithm algorithm = MHD_DIGEST_ALG_SHA256;

typedef struct upload {
    char *bytes;
    size_t size;
} upload;

/* Who asks, by RFC 7616. `stale`: the challenge was too old. */
static sim_login login_of(const web_server *s, struct MHD_Connection *connection, bool *stale)
{
    char *user = mhd.digest_auth_get_username(connection), code[64];
    *stale = false;
    if (!user)
        return SIM_NOBODY;
    bool known = strcmp(user, s->unit->model->web->user) == 0;
    mhd.free(user);
    sim_web_code(s->unit, code);
    int right = mhd.digest_auth_check2(connection, s->unit->model->web->realm, s->unit->model->web->user, code,
                                       NONCE_SECONDS, algorithm);
    *stale = right == MHD_INVALID_NONCE;
    return *stale ? SIM_NOBODY : right == MHD_YES && known ? SIM_RIGHT : SIM_WRONG;
}

static enum MHD_Result answer(web_server *s, struct MHD_Connection *connection, const char *path, const char *method,
                              const upload *u)
{
    bool stale;
    sim_web_request q = {.method = method,
                         .path = path,
                         .tag = mhd.lookup_connection_value(connection, MHD_HEADER_KIND, "If-Match"),
                         .body = u->bytes,
                         .size = u->size,
                         .login = login_of(s, connection, &stale)};
    sim_web_reply to = s->silent ? (sim_web_reply){.status = 0} : sim_web_answer(s->unit, s->now(s->ctx), &q);
    if (to.status == 0)
        return MHD_NO; /* it hangs up */
    s->wait(s->ctx, s->unit->late_ms);
    s->unit->late_ms = 0;
    struct MHD_Response *response = mhd.create_response_from_buffer(to.size, to.body, MHD_RESPMEM_MUST_FREE);
    mhd.add_response_header(response, "Content-Type", to.file ? "application/octet-stream" : "application/json");
    if (to.tag[0])
        mhd.add_response_header(response, "ETag", to.tag);
    enum MHD_Result done = to.status == 401
                               ? mhd.queue_auth_fail_response2(connection, s->unit->model->web->realm, "labels",
                                                               response, stale ? MHD_YES : MHD_NO, algorithm)
                               : mhd.queue_response(connection, (unsigned)to.status, response);
    mhd.destroy_response(response);
    return done;
}

static enum MHD_Result take(void *ctx, struct MHD_Connection *connection, const char *path, const char *method,
                            const char *version, const char *bytes, size_t *size, void **memory)
{
    upload *u = *memory;
    (void)version;
    if (!u) {
        *memory = u = calloc(1, sizeof *u);
        return u ? MHD_YES : MHD_NO;
    }
    if (*size) {
        char *more = u->size + *size <= BODY_MOST ? realloc(u->bytes, u->size + *size) : NULL;
        if (!more)
            return MHD_NO;
        memcpy(more + u->size, bytes, *size);
        u->bytes = more;
        u->size += *size;
        *size = 0;
        return MHD_YES;
    }
    return answer(ctx, connection, path, method, u);
}

static void forget(void *ctx, struct MHD_Connection *connection, void **memory, enum MHD_RequestTerminationCode how)
{
    upload *u = *memory;
    (void)ctx;
    (void)connection;
    (void)how;
    if (u)
        free(u->bytes);
    free(u);
}

bool web_server_listen(web_server *s)
{
    struct sockaddr_in at = {.sin_family = AF_INET, .sin_port = htons((uint16_t)s->port)};
    inet_pton(AF_INET, "127.0.0.1", &at.sin_addr);
    if (!load()) {
        errno = ELIBACC;
        return false;
    }
    static const char seed[] = "a simulated labeller hides nothing";
    s->daemon =
        mhd.start_daemon(MHD_USE_EPOLL, 0, NULL, NULL, take, s, MHD_OPTION_SOCK_ADDR, &at, MHD_OPTION_NOTIFY_COMPLETED,
                         forget, NULL, MHD_OPTION_DIGEST_AUTH_RANDOM, sizeof seed - 1, seed, MHD_OPTION_NONCE_NC_SIZE,
                         64u, MHD_OPTION_LISTENING_ADDRESS_REUSE, 1u, MHD_OPTION_END);
    const union MHD_DaemonInfo *info = s->daemon ? mhd.get_daemon_info(s->daemon, MHD_DAEMON_INFO_BIND_PORT) : NULL;
    if (info)
        s->port = info->port;
    return info != NULL;
}

int web_server_fd(const web_server *s)
{
    const union MHD_DaemonInfo *info = s->daemon ? mhd.get_daemon_info(s->daemon, MHD_DAEMON_INFO_EPOLL_FD) : NULL;
    return info ? info->epoll_fd : -1;
}

void web_server_serve(web_server *s)
{
    if (s->daemon)
        mhd.run(s->daemon);
}

void web_server_stop(web_server *s)
{
    if (s->daemon)
        mhd.stop_daemon(s->daemon);
    s->daemon = NULL;
}
