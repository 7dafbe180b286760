/* Devices that tell nobody who they are before a login, by the tool and by the library: a password goes only to who is
 * known at its address, where nothing but a person says so. */
#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

#include "bilancia/device.h"
#include "bilancia/host.h"
#include "tool.h"

static int set_up(void **state)
{
    (void)state;
    tool_begin();
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    tool_end();
    return 0;
}

/* A person agrees, and types the password. */
static void agree_and_type(const char *at)
{
    struct winsize size = {.ws_row = 40, .ws_col = 120};
    int master, status;
    pid_t child = forkpty(&master, NULL, NULL, &size);
    if (child == 0) {
        if (chdir(folder) == 0)
            execl(BILANCIA_TOOL, "bilancia", "read", at, (char *)NULL);
        _exit(127);
    }
    wait_for(master, "from now on? [yes/no] ");
    type_at(master, "yes\n");
    wait_for(master, "Password of the device");
    type_at(master, "olive\n");
    wait_for(master, "all 150 values read with 19 requests and 1 for who answers");
    assert_int_equal(waitpid(child, &status, 0), child);
    assert_true(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    close(master);
}

/* From finding it to the write that is taken up again, as for any other; and what it says of itself stands in the way
 * of whoever says otherwise. */
static void a_logger_that_is_guarded(void **state)
{
    (void)state;
    start_unit(0, "el-16 --guarded --serial EL16-0007", NULL);
    const char *at = unit_at[0];
    expect(4, "it says: el-16 EL16-0007 console", sh("$B find %s 2>/dev/null", at));
    assert_non_null(strstr(output, "nobody has agreed to that yet"));
    assert_non_null(strstr(output, "--known-as 'el-16 EL16-0007 console'"));
    expect(4, "\"says\": \"el-16 EL16-0007 console\"", sh("$B find %s --json 2>/dev/null", at));
    expect(3, "nobody has agreed", sh("BILANCIA_PASSWORD=olive $B read %s 2>&1 </dev/null", at));
    expect(3, "may its password go there from now on?", at_terminal(120, 40, "no\n", "$B read %s", at));
    expect(0, NULL, sh("$B simulate --at unit0.ctl counters | grep -q 'read requests 0,'"));
    agree_and_type(at);
    expect(3, "wants a password", sh("$B read %s 2>&1 </dev/null", at));
    expect(3, "doesn't accept the password", sh("BILANCIA_PASSWORD=wrong $B read %s 2>&1 </dev/null", at));
    setenv("BILANCIA_PASSWORD", "olive", 1);
    expect(0, "✓ equal: 150 values", sh("b compare *.bset %s </dev/null", at));
    expect(0, "✓ verified: 1 value", sh("b set %s alarm.delay=7 --yes --prove </dev/null", at));
    expect(5, "restarted in the middle",
           sh("b simulate --at unit0.ctl fault power-cut 75 >/dev/null; $B set %s alarm.delay=9 alarm.gap=4.5 --yes "
              "--prove </dev/null 2>&1",
              at));
    expect(0, "✓ in force: 2 values", sh("b resume $(ls -t *.brec | head -1) --yes </dev/null"));
    expect(0, "✓ in force: 2 values", sh("b undo $(ls -t *.brec | head -1) --yes </dev/null"));
    /* as a device of a site, among others */
    expect(0, "✓ added", sh("b site make mill >/dev/null; cd mill; b device add tanks %s </dev/null", at));
    expect(0, "150 values", sh("cd mill; b read --all </dev/null"));
    expect(0, "in the site as tanks", sh("cd mill; b find site 2>/dev/null"));
    /* the login is the same password: where a write changes that, the new one is used from its restart on */
    expect(0, NULL, sh("mkdir sealed; printf 'six olives on a twig\\nblack-olive\\n' >secrets"));
    expect(0, "Sealed",
           sh("$B edit $(ls *.bset | head -1) --seal access.code --secrets-fd 3 --folder sealed 3<secrets"));
    expect(0, "the device took it",
           sh("head -1 secrets >passphrase; $B write sealed/*.bset %s --yes --prove --passphrase-fd 3 3<passphrase "
              "</dev/null",
              at));
    expect(3, "doesn't accept the password", sh("$B read %s 2>&1 </dev/null", at));
    setenv("BILANCIA_PASSWORD", "black-olive", 1);
    expect(0, "all 150 values", sh("b read %s --folder sealed </dev/null", at));
    expect(0, NULL, sh("! grep -rq black-olive sealed state --include=*.bset --include=*.brec --include=decided"));
    /* somebody else at its address, who greets otherwise: not a word is said to that one */
    stop_unit(0);
    expect(0, NULL,
           sh("cat >greet <<'GREET'\nprintf 'el-16 EL16-0666 console\\r\\nuser: '\ntimeout 5 cat >>heard\nGREET\n"
              "timeout 60 socat TCP-LISTEN:%s,bind=127.0.0.1,fork,reuseaddr EXEC:'sh greet' >/dev/null 2>&1 & echo $! "
              ">greeter; "
              "sleep 0.3",
              strrchr(at, ':') + 1));
    expect(3, "it says \"el-16 EL16-0666 console\", where it said \"el-16 EL16-0007 console\" before",
           sh("$B read %s 2>&1 </dev/null", at));
    expect(3, "all the same", at_terminal(120, 40, "no\n", "$B read %s", at));
    expect(3, "calls itself otherwise", sh("cd mill; $B read tanks 2>&1 </dev/null"));
    expect(0, NULL, sh("kill $(cat greeter); touch heard; ! grep -q . heard"));
    unsetenv("BILANCIA_PASSWORD");
    expect(0, NULL, sh("rm -r *.bset *.brec mill sealed"));
}

/* On a line it is woken, and says the same. */
static void a_logger_on_a_line(void **state)
{
    (void)state;
    start_unit(1, "el-16 --guarded --line --serial EL16-0008", NULL);
    const char *at = unit_at[1];
    expect(3, "BILANCIA_PASSWORD",
           sh("$B find '%s' --known-as 'el-16 EL16-0008 console' >/dev/null 2>&1; $B read '%s' "
              "2>&1 </dev/null",
              at, at));
    expect(0, "✓ verified: 1 value",
           sh("BILANCIA_PASSWORD=olive $B set '%s' alarm.delay=7 --yes --prove </dev/null", at));
    stop_unit(1);
    expect(0, NULL, sh("rm *.bset *.brec"));
}

/* Over HTTP it names its realm; the description is the usual one, which says besides that it shows nothing. */
static void a_labeller_that_is_guarded(void **state)
{
    (void)state;
    start_unit(2, "en-2 --guarded", NULL);
    const char *at = unit_at[2];
    expect(0, NULL,
           sh("sed 's#^  login: digest#  login: digest\\n  enter: /api/unit\\n  greets: EN-2 {what}#' "
              "%s/descriptions/en-2.yaml >guarded.yaml; grep -q enter guarded.yaml",
              BILANCIA_SOURCE));
    expect(3, "no description matches", sh("BILANCIA_PASSWORD=label-1 $B read %s 2>&1 </dev/null", at));
    setenv("BILANCIA_PASSWORD", "label-1", 1);
    expect(4, "it says: EN-2 labels", sh("$B find %s -d guarded.yaml 2>/dev/null", at));
    expect(3, "nobody has agreed", sh("$B read %s -d guarded.yaml 2>&1 </dev/null", at));
    expect(0, "EN-2, firmware 5.1", sh("$B find %s -d guarded.yaml --known-as 'EN-2 labels' 2>/dev/null", at));
    expect(0, "all 210 values read", sh("b read %s -d guarded.yaml </dev/null", at)); /* by digest, each has its own */
    expect(0, "✓ verified: 1 value", sh("b set %s -d guarded.yaml print.speed=99 --yes --prove </dev/null", at));
    expect(3, "doesn't accept the password",
           sh("BILANCIA_PASSWORD=label-2 $B read %s -d guarded.yaml 2>&1 </dev/null", at));
    expect(2, "said of one address", sh("$B find %s %s --known-as x 2>&1", at, at));
    expect(2, "--known-as", sh("$B find --known-as x 2>&1"));
    unsetenv("BILANCIA_PASSWORD");
    stop_unit(2);
    expect(0, NULL, sh("rm *.bset *.brec"));
}

/* ---- the library ---- */

typedef struct person {
    unsigned asked, trusted;
    bool trusts;
    const char *password;
    char says[100], before[100];
} person;

static bool password(void *ctx, const char *where, const char *which, bool may_ask, char *out, size_t size)
{
    person *p = ctx;
    (void)which;
    assert_memory_equal(where, "console+tcp://", 14);
    p->asked += may_ask;
    snprintf(out, size, "%s", may_ask ? p->password : "");
    return may_ask;
}

static bool trust(void *ctx, const char *where, const char *says, const char *before)
{
    person *p = ctx;
    (void)where;
    p->trusted++;
    snprintf(p->says, sizeof p->says, "%s", says);
    snprintf(p->before, sizeof p->before, "%s", before);
    return p->trusts;
}

static int open_by(person *p, const char *at)
{
    bil_host_config config = {.struct_size = sizeof config, .site = "", .ctx = p, .password = password, .trust = trust};
    bil_host *host;
    bil_device *device = NULL;
    assert_int_equal(bil_host_open(&host, &config), BIL_OK);
    int error = bil_device_open(host, at, &device);
    assert_int_equal(error, bil_host_error(host));
    bil_device_close(device);
    bil_host_close(host);
    return error;
}

static void asked_by_the_library(void **state)
{
    (void)state;
    start_unit(3, "el-16 --guarded --serial EL16-0009", NULL);
    const char *at = unit_at[3];
    person p = {.password = "olive"};
    assert_int_equal(open_by(&p, at), BIL_E_NEW_THERE);
    assert_true(p.trusted == 1 && p.asked == 0);
    assert_string_equal(p.says, "el-16 EL16-0009 console");
    assert_string_equal(p.before, "");
    p.trusts = true;
    assert_int_equal(open_by(&p, at), BIL_OK);
    assert_true(p.trusted == 2 && p.asked == 1);
    p.trusts = false; /* that is remembered */
    assert_int_equal(open_by(&p, at), BIL_OK);
    assert_true(p.trusted == 2 && p.asked == 2);
    p.password = "olive\rolive"; /* what can't be typed isn't said */
    assert_int_equal(open_by(&p, at), BIL_E_PASSWORD);
    expect(0, "all 150", sh("BILANCIA_PASSWORD=olive $B read %s </dev/null", at));
    bil_host *host;
    bil_host_config config = {.struct_size = sizeof config, .site = ""};
    assert_int_equal(bil_host_open(&host, &config), BIL_OK);
    static const struct {
        const char *where, *says;
        int error;
    } calls[] = {{NULL, "x", BIL_E_BAD_CALL},
                 {"console+tcp://127.0.0.1:9", NULL, BIL_E_BAD_CALL},
                 {"tanks", "x", BIL_E_ADDRESS},
                 {"console+tcp://", "x", BIL_E_ADDRESS},
                 {"console+tcp://127.0.0.1:9", "", BIL_E_CALL},
                 {"console+tcp://127.0.0.1:9", "a\nb", BIL_E_CALL},
                 {"console+tcp://127.0.0.1:9",
                  "0123456789012345678901234567890123456789012345678901234567890123456789012345678901", BIL_E_CALL}};
    for (size_t i = 0; i < sizeof calls / sizeof calls[0]; i++)
        assert_int_equal(bil_host_knows(host, calls[i].where, calls[i].says), calls[i].error);
    assert_int_equal(bil_host_knows(host, at, "el-16 EL16-0001 console"), BIL_OK);
    bil_host_close(host);
    assert_int_equal(open_by(&p, at), BIL_E_OTHER_THERE);
    assert_string_equal(p.before, "el-16 EL16-0001 console");
    stop_unit(3);
}

int main(int argc, char **argv)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_logger_that_is_guarded),
        cmocka_unit_test(a_logger_on_a_line),
        cmocka_unit_test(a_labeller_that_is_guarded),
        cmocka_unit_test(asked_by_the_library),
    };
    if (argc > 1)
        cmocka_set_test_filter(argv[1]);
    return cmocka_run_group_tests_name("login", tests, set_up, tear_down);
}
