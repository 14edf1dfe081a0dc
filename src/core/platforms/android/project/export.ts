import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { App } from '../../../app/app.js';
import { iconSince, type LauncherIcon } from '../../../art/launcher-icon.js';
import { formatFix, type SayTask, task } from '../../../errors.js';
import { SDK } from '../app/attributes.js';
import { describeManifest } from '../app/manifest.js';
import type { AndroidOptions } from '../app/options.js';
import { describeResources } from '../app/resources.js';
import { buildShellSettings, SETTINGS_PATH, SITE_PATH } from '../app/shell-settings.js';
import { valuesFiles } from './values-text.js';
import { resourceNames, xmlText } from './xml-text.js';

/** A file of an exported project. */
export interface ProjectFile {
  /** From the project's folder, with `/` between names. */
  readonly path: string;
  readonly content: Uint8Array | { readonly file: string };
}

/** Version of the platform's build plugin that the project names, and of the language that its sources have. */
const PLUGIN = '8.13.0';
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

const appGradle = (app: App, { minSdk }: AndroidOptions) => `plugins {
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

    compileOptions {
        sourceCompatibility = JavaVersion.VERSION_1_8
        targetCompatibility = JavaVersion.VERSION_1_8
    }

    // Packed pages are found by their own names, and some begin with a dot or an underscore.
    androidResources {
        ignoreAssetsPattern = ""
    }
}
`;

const readme = (app: App, say: SayTask | undefined) => `# ${app.name}

An Android project made from hull.json. Open it in the platform's own studio, or build it with its usual build (Gradle, a JDK
and the platform's SDK):

    gradle assembleRelease

Add what you need: native code, libraries, activities. When hull.json or Jolly Hull's shell changes, bring it in with

    ${formatFix([task('refitProject', '<this folder>')], say)}

which keeps your edits, merges where both sides changed, and reports what it cannot merge. \`.hull/\` holds what it needs for
that: keep it under version control.

| folder | what |
|---|---|
| \`app/src/main/java/jollyhull/shell\` | the shell |
| \`app/src/main/assets/hull/shell.json\` | what the shell goes by |
| \`app/src/main/assets/site\` | the packed pages |
| \`app/src/main/res\` | icons, colours, names, theme |
`;

/** What version control need not keep. */
const IGNORE = '.gradle/\nbuild/\nlocal.properties\n';

/**
 * The app as a source project that the platform's usual build opens: the same manifest, resources, settings and pages
 * that a package has, as sources, and the shell's Java.
 *
 * @param launcherIcon every picture of it; those that only older devices show are left out
 * @param shellSources folder of the shell's Java files
 * @param say how tasks are named in its README
 */
export function projectFiles(
  app: App,
  launcherIcon: LauncherIcon,
  options: AndroidOptions,
  shellSources: string,
  say?: SayTask,
): ProjectFile[] {
  const icon = iconSince(launcherIcon, options.minSdk);
  const { table, trees } = describeResources(app, icon, options.engine);
  const names = resourceNames(table);
  const whole = describeManifest(app, { debuggable: false, android: options });
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
  const java = readdirSync(shellSources, { recursive: true, encoding: 'utf8' })
    .map((name) => name.split('\\').join('/'))
    .filter((name) => name.endsWith('.java'))
    .sort();
  return [
    { path: 'README.md', content: text(readme(app, say)) },
    { path: '.gitignore', content: text(IGNORE) },
    { path: 'settings.gradle.kts', content: text(SETTINGS_GRADLE(app.name)) },
    { path: 'build.gradle.kts', content: text(ROOT_GRADLE) },
    { path: 'gradle.properties', content: text('android.useAndroidX=false\norg.gradle.jvmargs=-Xmx2g\n') },
    { path: 'app/build.gradle.kts', content: text(appGradle(app, options)) },
    { path: `${MAIN}AndroidManifest.xml`, content: text(xmlText(manifest, names)) },
    ...java.map((name) => ({
      path: `${MAIN}java/${name}`,
      content: new Uint8Array(readFileSync(join(shellSources, name))),
    })),
    ...[...valuesFiles(table, names)].map(([path, content]) => ({
      path: MAIN + path,
      content: text(content),
    })),
    ...trees.map(({ path, tree }) => ({ path: MAIN + path, content: text(xmlText(tree, names)) })),
    ...[...icon.pictures].map(([path, bytes]) => ({ path: MAIN + path, content: bytes })),
    { path: MAIN + SETTINGS_PATH, content: buildShellSettings(app, options) },
    ...(app.folder?.files ?? []).map(({ path, file }) => ({
      path: `${MAIN}${SITE_PATH}${path}`,
      content: { file },
    })),
  ];
}
