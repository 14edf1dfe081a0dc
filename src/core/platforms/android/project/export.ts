import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { App } from '../../../app/app.js';
import { iconSince, type LauncherIcon } from '../../../art/launcher-icon.js';
import { formatFix, type SayTask, task } from '../../../errors.js';
import type { ProjectFile } from '../../../packaging/project-file.js';
import { buildWords } from '../../../packaging/shell-settings.js';
import { SDK } from '../app/attributes.js';
import { describeManifest } from '../app/manifest.js';
import type { AndroidOptions } from '../app/options.js';
import { describeResources, sourceOnlyTrees } from '../app/resources.js';
import { buildShellSettings, SETTINGS_PATH, SITE_PATH, WORDS_PATH } from '../app/shell-settings.js';
import { valuesFiles } from './values-text.js';
import { resourceNames, xmlText } from './xml-text.js';

/** Version of the platform's build plugin that the project names, and of the language that its sources have. */
const PLUGIN = '8.13.0';
const GRADLE = '8.14.3';
/** Versions of what its tests run on: those of the shell's own build. */
const JUNIT = '4.13.2';
const ROBOLECTRIC = '4.16.1';
/** Tests that hold for any app. */
const TESTS = ['ByteRangeTest', 'PackagedAppTest'];
const MAIN = 'app/src/main/';

const text = (value: string) => new TextEncoder().encode(value);

const SETTINGS_GRADLE = (name: string) => `pluginManagement {
    repositories {
        google()
        mavenCentral()
        gradlePluginPortal()
    }
}

dependencyResolutionManagement {
    repositories {
        google()
        mavenCentral()
    }
}

rootProject.name = ${JSON.stringify(name).replaceAll('$', '\\$')}
include(":app")
`;

const ROOT_GRADLE = `plugins {
    id("com.android.application") version "${PLUGIN}" apply false
}
`;

/** Where the release key is, for the platform's build. Its password is in neither file. */
export interface ProjectKey {
  /** Path of the keystore (PKCS#12) from the project's folder. */
  readonly file: string;
  readonly alias: string | undefined;
}

const SIGNING = `
    signingConfigs {
        create("release") {
            storeFile = rootProject.file(providers.gradleProperty("hull.keystore").get())
            storeType = "PKCS12"
            storePassword = System.getenv("HULL_KEY_PASSWORD")
            keyAlias = providers.gradleProperty("hull.keyAlias").get()
            keyPassword = System.getenv("HULL_KEY_PASSWORD")
        }
    }
`;

const appGradle = (app: App, { minSdk }: AndroidOptions, key: ProjectKey | undefined) => `plugins {
    id("com.android.application")
}

android {
    // The shell's own package; the app's ID is below.
    namespace = "jollyhull.shell"
    compileSdk = ${SDK.target}

    defaultConfig {
        applicationId = "${app.androidId}"
        minSdk = ${minSdk}
        targetSdk = ${SDK.target}
        versionCode = ${app.build}
        versionName = ${JSON.stringify(app.version)}
    }
${key === undefined ? '' : SIGNING}
    buildTypes {
        release {
            // Turned on, it finds what pages call by these rules.
            isMinifyEnabled = false
            proguardFiles(getDefaultProguardFile("proguard-android-optimize.txt"), "shell-rules.pro")
${
  key === undefined
    ? ''
    : `            // Without its password the release is built, and not signed.
            if (System.getenv("HULL_KEY_PASSWORD") != null) signingConfig = signingConfigs.getByName("release")
`
}        }
    }

    compileOptions {
        sourceCompatibility = JavaVersion.VERSION_17
        targetCompatibility = JavaVersion.VERSION_17
    }

    testOptions {
        unitTests.isIncludeAndroidResources = true
    }

    // Packed pages are found by their own names, and some begin with a dot or an underscore.
    androidResources {
        ignoreAssetsPattern = ""
    }
}

dependencies {
    testImplementation("junit:junit:${JUNIT}")
    testImplementation("org.robolectric:robolectric:${ROBOLECTRIC}")
}
`;

/** What a shrinker must leave as it is. */
const RULES = `# Pages call these by their names.
-keepclassmembers class jollyhull.shell.** {
    @android.webkit.JavascriptInterface <methods>;
}
# The engine finds these by their names.
-keep interface org.chromium.support_lib_boundary.** { *; }
# Lines in stack traces.
-keepattributes SourceFile,LineNumberTable
`;

const WRAPPER = `distributionBase=GRADLE_USER_HOME
distributionPath=wrapper/dists
distributionUrl=https\\://services.gradle.org/distributions/gradle-${GRADLE}-bin.zip
networkTimeout=10000
validateDistributionUrl=true
zipStoreBase=GRADLE_USER_HOME
zipStorePath=wrapper/dists
`;

const properties = (key: ProjectKey | undefined) =>
  `android.useAndroidX=false
org.gradle.jvmargs=-Xmx2g
${key === undefined ? '' : `hull.keystore=${key.file}\nhull.keyAlias=${key.alias ?? ''}\n`}`;

const signingText = `
The release is signed with the keystore that \`gradle.properties\` names, as soon as its password is in the environment:

    HULL_KEY_PASSWORD=… ./gradlew bundleRelease

Without the password the release is built unsigned. Neither file holds a secret.
`;

const readme = (app: App, say: SayTask | undefined, key: ProjectKey | undefined) => `# ${app.name}

An Android project made from hull.json: the app's pages, the native shell around them in Java, and nothing else.

## Build

It takes a JDK from 17 on, and the platform's SDK with API ${SDK.target} (\`ANDROID_HOME\` names its folder). The platform's own studio
brings both, and opens this folder as it is. On a command line, make the wrapper once with any Gradle; it fetches the
version that \`gradle/wrapper/gradle-wrapper.properties\` pins:

    gradle wrapper
    ./gradlew assembleDebug            app/build/outputs/apk/debug/app-debug.apk
    ./gradlew bundleRelease            app/build/outputs/bundle/release/app-release.aab
    ./gradlew testDebugUnitTest        the shell's tests, on the JVM
${key === undefined ? '' : signingText}
## Where things are

| folder | what |
|---|---|
| \`app/src/main/java/jollyhull/shell\` | the shell; \`PageActivity\` is the window |
| \`app/src/test/java\` | its tests |
| \`app/src/main/assets/hull/shell.json\` | what the shell goes by |
| \`app/src/main/assets/hull/words.txt\` | what it says, by language |
| \`app/src/main/assets/site\` | the packed pages |
| \`app/src/main/res\` | icons, colours, names, theme |
| \`app/shell-rules.pro\` | what a shrinker must leave as it is |

## Change

Add what you need: native code, libraries, activities. When hull.json or Jolly Hull's shell changes, bring it in with

    ${formatFix([task('refitProject', '<this folder>')], say)}

which keeps your edits, merges where both sides changed, and reports what it cannot merge. \`.hull/\` holds what it needs for
that: keep it under version control.
`;

/** The provider's name follows the ID that the build gives: two variants of an app are installed side by side. */
// biome-ignore lint/suspicious/noTemplateCurlyInString: the platform's build puts it in
const OWN_AUTHORITY = 'authorities="${applicationId}.shots"';
const ownAuthorities = (manifest: string, app: App): string =>
  manifest.replace(`authorities="${app.androidId}.shots"`, OWN_AUTHORITY);

/** What version control need not keep. */
const IGNORE = '.gradle/\nbuild/\nlocal.properties\n';

/**
 * The app as a source project that the platform's usual build opens: the same manifest, resources, settings and pages
 * that a package has, as sources, and the shell's Java.
 *
 * @param launcherIcon every picture of it; those that only older devices show are left out
 * @param shellSources folders of the shell's Java files
 * @param key what signs releases; none where it is not here
 * @param say how tasks are named in its README
 */
export function projectFiles(
  app: App,
  launcherIcon: LauncherIcon,
  options: AndroidOptions,
  shellSources: { readonly main: string; readonly test: string },
  key?: ProjectKey,
  say?: SayTask,
): ProjectFile[] {
  const icon = iconSince(launcherIcon, options.minSdk);
  // Its user builds it for debugging, and for release.
  const made = { debuggable: 'either-way', android: options } as const;
  const { table, trees } = describeResources(app, icon, made);
  const names = resourceNames(table);
  const whole = describeManifest(app, made);
  // The build puts in what its own files say; said twice, it warns.
  const manifest = {
    ...whole,
    attributes: [],
    children: whole.children
      .filter(({ name }) => name !== 'uses-sdk')
      .map((child) =>
        child.name === 'application'
          ? { ...child, attributes: child.attributes.filter(({ name }) => name !== 'extractNativeLibs') }
          : child,
      ),
  };
  const java = readdirSync(shellSources.main, { recursive: true, encoding: 'utf8' })
    .map((name) => name.split('\\').join('/'))
    .filter((name) => name.endsWith('.java'))
    .sort();
  return [
    { path: 'README.md', content: text(readme(app, say, key)) },
    { path: '.gitignore', content: text(IGNORE) },
    { path: 'settings.gradle.kts', content: text(SETTINGS_GRADLE(app.name)) },
    { path: 'build.gradle.kts', content: text(ROOT_GRADLE) },
    { path: 'gradle.properties', content: text(properties(key)) },
    { path: 'gradle/wrapper/gradle-wrapper.properties', content: text(WRAPPER) },
    { path: 'app/shell-rules.pro', content: text(RULES) },
    { path: 'app/build.gradle.kts', content: text(appGradle(app, options, key)) },
    { path: `${MAIN}AndroidManifest.xml`, content: text(ownAuthorities(xmlText(manifest, names), app)) },
    ...java.map((name) => ({
      path: `${MAIN}java/${name}`,
      content: new Uint8Array(readFileSync(join(shellSources.main, name))),
    })),
    ...TESTS.map((name) => ({
      path: `app/src/test/java/jollyhull/shell/${name}.java`,
      content: new Uint8Array(readFileSync(join(shellSources.test, `jollyhull/shell/${name}.java`))),
    })),
    ...[...valuesFiles(table, names)].map(([path, content]) => ({
      path: MAIN + path,
      content: text(content),
    })),
    ...[...trees, ...sourceOnlyTrees()].map(({ path, tree }) => ({
      path: MAIN + path,
      content: text(xmlText(tree, names)),
    })),
    ...[...icon.pictures].map(([path, bytes]) => ({ path: MAIN + path, content: bytes })),
    { path: MAIN + SETTINGS_PATH, content: buildShellSettings(app, options) },
    { path: MAIN + WORDS_PATH, content: buildWords(app) },
    ...(app.folder?.files ?? []).map(({ path, file }) => ({
      path: `${MAIN}${SITE_PATH}${path}`,
      content: { file },
    })),
  ];
}
